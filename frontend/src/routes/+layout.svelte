<script lang="ts">
  import '../app.css';
  import { goto } from '$app/navigation';
  import { QueryClient, QueryClientProvider } from '@tanstack/svelte-query';
  import { onMount, type Snippet } from 'svelte';
  import KeyList from '$lib/parts/KeyList.svelte';
  import NoticeLine from '$lib/parts/NoticeLine.svelte';
  import Route from '$lib/parts/Route.svelte';
  import { answer, client } from '$lib/api/client';
  import { importing } from '$lib/imports.svelte';
  import { keys } from '$lib/keys.svelte';
  import { notices } from '$lib/notice.svelte';
  import { theme } from '$lib/theme.svelte';
  import { undo } from '$lib/undo';

  const { children }: { children: Snippet } = $props();
  const queries = new QueryClient({ defaultOptions: { queries: { retry: 1, staleTime: 2000 } } });
  let keyList: KeyList;
  let over = $state(false);

  async function undoLast(): Promise<void> {
    const route = await answer(client.GET('/api/route')).catch(() => null);
    if (route?.last_batch) await undo(queries, route.last_batch.id, route.last_batch.title);
    else notices.say('There is no batch to take back.');
  }

  onMount(() => {
    theme.start();
    void answer(client.GET('/api/route')).then(
      (route) => route.notices[0] && notices.say(route.notices.join(' ')),
      () => undefined,
    );
    return keys.offer([
      { key: '1', does: 'Connect', run: () => void goto('/connect') },
      { key: '2', does: 'Look', run: () => void goto('/look') },
      { key: '3', does: 'Mend', run: () => void goto('/mend') },
      { key: '4', does: 'Logbook', run: () => void goto('/logbook') },
      { key: 'u', does: 'take the last batch back', run: () => void undoLast() },
      { key: '?', does: 'this list', run: () => keyList.open() },
    ]);
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

<QueryClientProvider client={queries}>
  <div class="flex h-full flex-col">
    <Route onhelp={() => keyList.open()} />
    <main class="flex min-h-0 flex-1 flex-col">{@render children()}</main>
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
