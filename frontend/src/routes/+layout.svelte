<script lang="ts">
  import '../app.css';
  import { goto, preloadCode } from '$app/navigation';
  import { QueryClient, QueryClientProvider } from '@tanstack/svelte-query';
  import ThemeProvider from 'flowbite-svelte/ThemeProvider.svelte';
  import { onMount, type Snippet } from 'svelte';
  import KeyList from '$lib/ui/KeyList.svelte';
  import NoticeLine from '$lib/ui/NoticeLine.svelte';
  import Route from '$lib/ui/Route.svelte';
  import { answer, client } from '$lib/api/client';
  import { importing } from '$lib/state/imports.svelte';
  import { keys } from '$lib/state/keys.svelte';
  import { notices } from '$lib/state/notice.svelte';
  import { theme } from '$lib/state/theme.svelte';
  import { follow } from '$lib/state/revisions';
  import { undo } from '$lib/state/undo';

  const { children }: { children: Snippet } = $props();
  const queries = new QueryClient({ defaultOptions: { queries: { retry: 1, staleTime: 2000 } } });
  let keyList: KeyList;
  const STAGES = ['/connect', '/look', '/mend', '/logbook'];
  let over = $state(false);
  let asking = $state(true);

  async function undoLast(): Promise<void> {
    const route = await answer(client.GET('/api/route')).catch(() => null);
    if (route?.last_batch) await undo(queries, route.last_batch.id, route.last_batch.title);
    else notices.say('There is no batch to take back.');
  }

  onMount(() => {
    theme.start();
    const uncount = queries.getQueryCache().subscribe(() => queueMicrotask(() => (asking = queries.isFetching() > 0)));
    void answer(client.GET('/api/route')).then(
      (route) => route.notices[0] && notices.say(route.notices.join(' ')),
      () => undefined,
    );
    // The other pages come while nobody waits for them, so that keys lead there at once.
    requestIdleCallback(() => STAGES.forEach((path) => void preloadCode(path)));
    const unfollow = follow(queries);
    const unoffer = keys.offer([
      { key: '1', does: 'Connect', run: () => void goto('/connect') },
      { key: '2', does: 'Look', run: () => void goto('/look') },
      { key: '3', does: 'Mend', run: () => void goto('/mend') },
      { key: '4', does: 'Logbook', run: () => void goto('/logbook') },
      { key: 'u', does: 'take the last batch back', run: () => void undoLast() },
      { key: '?', does: 'this list', run: () => keyList.open() },
    ]);
    return () => {
      unfollow();
      uncount();
      unoffer();
    };
  });
</script>

<svelte:window
  onkeydown={(event) => keys.press(event)}
  ondragover={(event) => {
    if (!event.dataTransfer?.types.includes('Files')) return;
    event.preventDefault();
    over = true;
  }}
  ondragleave={(event) => {
    if (!event.relatedTarget) over = false;
  }}
  ondrop={(event) => {
    if (!event.dataTransfer?.files.length) return;
    event.preventDefault();
    over = false;
    void importing.files(event.dataTransfer.files);
  }}
/>

<ThemeProvider theme={{ progressbar: { base: 'bg-line rounded-none', inside: 'bg-brass rounded-none' } }}>
  <QueryClientProvider client={queries}>
    <div class="flex h-full flex-col">
      <Route onhelp={() => keyList.open()} />
      <main class="flex min-h-0 flex-1 flex-col" aria-busy={asking}>{@render children()}</main>
      <NoticeLine />
    </div>
    {#if over}
      <div
        class="border-brass bg-paper/90 pointer-events-none fixed inset-3 z-10 grid place-items-center border-4 border-dashed"
      >
        <p class="text-lg font-bold">Drop calendar files or messages here. They are shown to you first.</p>
      </div>
    {/if}
    <KeyList bind:this={keyList} />
  </QueryClientProvider>
</ThemeProvider>
