<script lang="ts">
  import { page } from '$app/state';
  import { count } from '$lib/ui/words';
  import { printing } from '$lib/state/printing.svelte';
  import { theme } from '$lib/state/theme.svelte';
  import { routeQuery } from '$lib/api/queries';

  const { onhelp }: { onhelp: () => void } = $props();
  const route = routeQuery();

  const spans = $derived([
    {
      href: '/connect',
      name: 'Connect',
      number: route.data && (route.data.to_push || route.data.connect + route.data.to_decide),
      unit: route.data?.to_push ? 'pending' : route.data?.to_decide ? 'to decide' : 'waiting',
      what: 'files waiting for a decision, changes on their way to where their calendars live, and those that did not arrive',
    },
    { href: '/look', name: 'Look', number: route.data?.look, unit: 'entries', what: 'entries in all calendars' },
    {
      href: '/mend',
      name: 'Mend',
      number: route.data && route.data.mend + route.data.problems,
      unit: 'to mend',
      what: 'entries with problems, and proposals waiting',
    },
    {
      href: '/cross',
      name: 'Cross',
      number: route.data?.cross,
      unit: route.data?.cross === 1 ? 'lane' : 'lanes',
      what: 'planned moves: lanes that wait to be carried, or differ for no known reason',
    },
    {
      href: '/share',
      name: 'Share',
      number: route.data?.shares,
      unit: 'shares',
      what: 'what is given to readers',
    },
    { href: '/logbook', name: 'Logbook', number: route.data?.logbook, unit: 'batches', what: 'batches applied' },
  ]);
</script>

<header class="bg-sheet border-line flex h-[62px] shrink-0 items-stretch border-b max-[760px]:h-[50px]">
  <a href="/look" class="flex items-center gap-2 px-4 max-[760px]:px-2" aria-label="Date Bridge">
    <img src="/mark.svg" alt="" width="28" height="28" />
    <span class="text-base leading-4 font-bold max-[900px]:hidden">Date<br />Bridge</span>
  </a>
  <nav aria-label="The route" class="flex flex-1 items-stretch">
    {#each spans as span, index (span.href)}
      {@const here = page.url.pathname.startsWith(span.href)}
      <a
        href={span.href}
        aria-current={here ? 'page' : undefined}
        title={span.what}
        class="group relative flex min-w-0 flex-1 flex-col px-2.5 pt-2 max-[1050px]:px-2 {here
          ? ''
          : 'text-soft hover:text-ink'}"
      >
        <span class="flex items-baseline gap-1.5">
          <span class="figures text-[11px] opacity-70 max-[760px]:hidden">{index + 1}</span>
          <span class="text-[15px] {here ? 'font-bold' : 'font-medium'}">{span.name}</span>
          <span class="figures ml-auto text-[13px]">{span.number === undefined ? '…' : count(span.number)}</span>
          <span class="truncate text-[11px] max-[1050px]:hidden">{span.unit}</span>
        </span>
        <svg
          viewBox="0 0 100 24"
          preserveAspectRatio="none"
          class="absolute inset-x-0 bottom-0 h-6 w-full"
          aria-hidden="true"
        >
          <path
            d="M0 2H100"
            class={here ? 'stroke-brass' : 'stroke-line group-hover:stroke-soft'}
            stroke-width={here ? 4 : 1.5}
            vector-effect="non-scaling-stroke"
            fill="none"
          />
          <path
            d="M0 24V2M100 24V2M0 24Q16.6 -2 33.3 24M33.3 24Q50 -2 66.6 24M66.6 24Q83.3 -2 100 24"
            class={here ? 'stroke-brass' : 'stroke-line group-hover:stroke-soft'}
            stroke-width="1.5"
            vector-effect="non-scaling-stroke"
            fill="none"
          />
        </svg>
      </a>
    {/each}
  </nav>
  <div class="flex items-center gap-1 px-3 max-[760px]:px-1">
    <button class="hover:bg-shade h-control px-2 text-sm" onclick={() => theme.turn()}>
      {theme.night ? 'Day' : 'Night'}
    </button>
    <button
      class="hover:bg-shade h-control px-2 text-sm max-[1050px]:hidden"
      title="Print what is shown (Ctrl+P)"
      aria-keyshortcuts="Control+P"
      onclick={() => void printing.print()}>Print</button
    >
    <button class="hover:bg-shade h-control px-2 text-sm" onclick={onhelp} aria-keyshortcuts="?">
      <span class="max-[760px]:hidden">Keys</span>
      <kbd class="figures border-line ml-1 rounded-[2px] border px-1 text-[11px] max-[760px]:ml-0">?</kbd>
    </button>
  </div>
</header>
