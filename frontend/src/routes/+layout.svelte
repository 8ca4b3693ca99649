<script lang="ts">
  import '../app.css';
  import { afterNavigate, beforeNavigate, goto, preloadCode } from '$app/navigation';
  import { navigating } from '$app/state';
  import { QueryClient, QueryClientProvider } from '@tanstack/svelte-query';
  import { onMount, tick, type Snippet } from 'svelte';
  import KeyList from '$lib/ui/KeyList.svelte';
  import ReachLine from '$lib/ui/ReachLine.svelte';
  import NoticeLine from '$lib/ui/NoticeLine.svelte';
  import Route from '$lib/ui/Route.svelte';
  import { key, routeOptions } from '$lib/api/queries';
  import { watchFields } from '$lib/state/fields';
  import { nextPart, toRest, watchFocus } from '$lib/state/focus';
  import { importing } from '$lib/state/imports.svelte';
  import { asking as question, keys } from '$lib/state/keys.svelte';
  import { notices } from '$lib/state/notice.svelte';
  import { theme } from '$lib/state/theme.svelte';
  import { follow } from '$lib/state/revisions';
  import { acts } from '$lib/state/attempt.svelte';
  import { printing } from '$lib/state/printing.svelte';
  import { unsaved } from '$lib/state/unsaved.svelte';
  import Action from '$lib/ui/Action.svelte';
  import Sheet from '$lib/ui/Sheet.svelte';
  import { undoLast } from '$lib/state/undo';

  const { children }: { children: Snippet } = $props();
  const queries = new QueryClient({ defaultOptions: { queries: { retry: 1, staleTime: 2000 } } });
  let listing = $state(false);
  /** So many milliseconds after a page has what it asked for, the other pages are fetched. */
  const QUIET = 1000;
  const STAGES = ['/connect', '/look', '/mend', '/cross', '/share', '/logbook'];
  let over = $state(false);
  let asking = $state(true);

  // Another page would throw away what is half written on this one.
  beforeNavigate((navigation) => {
    const to = navigation.to?.url;
    if (!to || navigation.willUnload || to.pathname === navigation.from?.url.pathname || !unsaved.any) return;
    navigation.cancel();
    unsaved.leave(() => void goto(to));
  });

  // The stream is asked for before anything else is, so that no change falls between the two.
  const unfollow = follow(queries);

  // A new page has the focus where it wants it, and so do the keys.
  afterNavigate(async (navigation) => {
    if (navigation.type !== 'enter' && navigation.from?.url.pathname === navigation.to?.url.pathname) return;
    await tick();
    toRest();
  });

  onMount(() => {
    theme.start();
    let loaded = false;
    const uncount = queries.getQueryCache().subscribe(() =>
      queueMicrotask(() => {
        asking = queries.isFetching() > 0;
        if (asking || loaded || !queries.getQueryCache().find({ queryKey: key('route') })?.state.data) return;
        // The other pages come once this one is there, while nobody waits for them, so that keys lead there at once.
        setTimeout(() => {
          if (loaded || queries.isFetching() > 0) return;
          loaded = true;
          STAGES.forEach((path) => void preloadCode(path));
        }, QUIET);
      }),
    );
    void queries.fetchQuery(routeOptions).then(
      (route) => route.notices[0] && notices.say(route.notices.join(' ')),
      () => undefined,
    );
    const unwatch = watchFocus();
    const unhold = watchFields();
    const unoffer = keys.offer([
      { key: '1', does: 'Connect', run: () => void goto('/connect') },
      { key: '2', does: 'Look', run: () => void goto('/look') },
      { key: '3', does: 'Mend', run: () => void goto('/mend') },
      { key: '4', does: 'Cross', run: () => void goto('/cross') },
      { key: '5', does: 'Share', run: () => void goto('/share') },
      { key: '6', does: 'Logbook', run: () => void goto('/logbook') },
      {
        key: '↑ ↓',
        does: 'in a list, from row to row; → ← within a row, Enter for its main action, Tab to the next part',
        aim: 'find',
      },
      { key: 'F6', does: 'the next part of the page; with Shift, the one before' },
      { key: 'Ctrl+P', does: 'print this page: black on white, all rows of a list' },
      { key: '?', does: 'this list', run: () => (listing = true) },
      { key: 'u', does: 'undo the last change', aim: 'change', run: () => void undoLast(queries) },
    ]);
    return () => {
      unfollow();
      unwatch();
      unhold();
      uncount();
      unoffer();
    };
  });
</script>

<svelte:window
  onkeydown={(event) => {
    if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'p') {
      event.preventDefault();
      return void printing.print();
    }
    if (event.key !== 'F6' || question()) return keys.press(event);
    event.preventDefault();
    nextPart(event.shiftKey ? -1 : 1);
  }}
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
    <Route onhelp={() => (listing = true)} />
    <ReachLine />
    <main
      tabindex="-1"
      class="flex min-h-0 flex-1 flex-col outline-none"
      aria-busy={asking || acts.count > 0 || navigating.to !== null}
    >
      {@render children()}
    </main>
    <NoticeLine />
  </div>
  {#if importing.dates}
    {#await import('$lib/mend/DateOrder.svelte') then asked}
      <asked.default {...importing.dates} />
    {/await}
  {/if}
  {#if over}
    <div
      class="border-brass bg-paper/90 pointer-events-none fixed inset-3 z-10 grid place-items-center border-4 border-dashed"
    >
      <p class="text-lg font-bold">Drop calendar files or messages here. You review them before they are imported.</p>
    </div>
  {/if}
  {#if unsaved.asking}
    <Sheet label="Unsaved changes" leave="Keep editing" onclose={() => (unsaved.asking = null)}>
      <h2 class="mb-2 text-lg font-bold">You have unsaved changes</h2>
      <p>If you leave now, they are lost.</p>
      {#snippet actions()}<Action kind="grave" onclick={() => unsaved.drop()}>Discard the changes</Action>{/snippet}
    </Sheet>
  {/if}
  {#if listing}<KeyList onclose={() => (listing = false)} />{/if}
</QueryClientProvider>
