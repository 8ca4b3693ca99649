<script lang="ts">
  import { page } from '$app/state';
  import { useQueryClient } from '@tanstack/svelte-query';
  import { onMount } from 'svelte';
  import Action from '$lib/ui/Action.svelte';
  import JobLine from '$lib/ui/JobLine.svelte';
  import Against from '$lib/mend/Against.svelte';
  import CheckPane from '$lib/mend/CheckPane.svelte';
  import MendNav from '$lib/mend/MendNav.svelte';
  import ScatteredList from '$lib/mend/ScatteredList.svelte';
  import SeriesList from '$lib/mend/SeriesList.svelte';
  import SeriesPane from '$lib/mend/SeriesPane.svelte';
  import { answer, client, type Schemas } from '$lib/api/client';
  import { calendarsQuery, key, query, refresh } from '$lib/api/queries';
  import { keepInAddress } from '$lib/state/address';
  import { walking } from '$lib/state/focus';
  import { keys } from '$lib/state/keys.svelte';
  import { text, view, type Changes } from '$lib/state/view';
  import { count } from '$lib/ui/words';

  /** All series; what is wrong with them, by kind; and what is scattered. */
  const queries = useQueryClient();
  const calendars = calendarsQuery();
  const byId = $derived(new Map((calendars.data ?? []).map((one) => [one.id, one])));
  const shape = { what: text, filter: text };
  const address = view('/mend/series', shape);
  const asked = $derived(address.read(page.url.searchParams));
  const head = query(() => ({
    queryKey: key('series-head'),
    queryFn: () => answer(client.GET('/api/series/head')),
  }));
  const checks = query(() => ({
    queryKey: key('checks', 0),
    queryFn: () => answer(client.GET('/api/checks', { params: { query: {} } })),
  }));
  const finding = $derived(checks.data?.found.find((one) => one.code === asked.what && one.wrong));
  const kind = $derived(head.data?.scattered.find((one) => one.kind === asked.what));
  let row = $state<Schemas['SeriesRow'] | null>(null);
  let marked = $state<Schemas['SeriesRow'] | null>(null);
  let against = $state(false);
  let pane: CheckPane | undefined = $state();
  let scattered: ScatteredList | undefined = $state();
  let looked = false;
  const INK: Record<string, string> = { breaks: 'text-removed', alters: 'text-changed', untidy: 'text-same' };

  // Whoever comes after entries have changed has it looked at once more.
  $effect(() => {
    if (head.data?.outdated && head.data.job === null && !looked) {
      looked = true;
      void answer(client.POST('/api/series/recompute'));
    }
  });

  function change(changes: Changes<typeof shape>): void {
    void keepInAddress(address.address(page.url.searchParams, changes));
  }

  function mark(): void {
    if (marked && row && marked.entry.id !== row.entry.id) against = true;
    else marked = marked ? null : row;
  }

  onMount(() =>
    keys.offer([
      { key: '↑ ↓', does: 'from one to the next; Enter opens it', aim: 'find' },
      {
        key: 'p',
        does: 'fix the problem, or combine the scattered series',
        aim: 'change',
        run: () => void (pane?.act() ?? scattered?.combine()),
      },
      { key: 'c', does: 'compare the series with another', aim: 'find', run: mark },
    ]),
  );
</script>

<svelte:head><title>Series · Date Bridge</title></svelte:head>
<MendNav>
  <span class="figures" role="status">{head.data ? `${count(head.data.total)} series` : ''}</span>
</MendNav>
<h1 class="visually-hidden">Mend: series</h1>
{#if head.isError}<p class="text-removed px-4 py-2">{head.error.message}</p>{/if}
<div class="border-line flex min-h-0 flex-1 border-t max-[900px]:flex-col">
  <div
    class="border-ink w-[300px] shrink-0 overflow-y-auto border-r max-[900px]:max-h-56 max-[900px]:w-full max-[900px]:border-r-0 max-[900px]:border-b"
    role="region"
    aria-label="Views"
    tabindex="-1"
    data-rest
    data-part
    {@attach walking('button')}
  >
    {#snippet line(what: string, name: string, number: number, ink: string)}
      <button
        class="border-line flex w-full items-center gap-3 border-b px-4 py-1 text-left text-[13px] {asked.what === what
          ? 'bg-picked font-bold'
          : 'hover:bg-shade'}"
        aria-current={asked.what === what ? 'true' : undefined}
        onclick={() => change({ what, filter: '' })}
      >
        <span class="min-w-0 flex-1 {ink}">{name}</span>
        <span class="figures">{count(number)}</span>
      </button>
    {/snippet}
    {#if head.data}
      {@render line('', 'All series', head.data.total, '')}
      {#if head.data.findings.length}
        <h2 class="bg-shade px-4 py-1 text-[13px] font-bold">Problems</h2>
        {#each head.data.findings as one (one.code)}{@render line(
            one.code,
            one.title,
            one.count,
            INK[one.severity] ?? '',
          )}{/each}
      {/if}
      <h2 class="bg-shade px-4 py-1 text-[13px] font-bold">Scattered series</h2>
      {#if head.data.job}<div class="px-4 py-2 text-[12px]">
          <JobLine behind id={head.data.job} onended={() => void refresh(queries, 'series-head')} />
        </div>{/if}
      {#each head.data.scattered as one (one.kind)}{@render line(one.kind, one.title, one.count, '')}{:else}
        <p class="text-soft px-4 py-2 text-[13px]">
          {head.data.job || head.data.outdated ? 'Looking…' : 'No scattered series.'}
        </p>
      {/each}
    {:else}<p class="text-soft px-4 py-3" role="status">Reading the series…</p>{/if}
    {#if marked}
      <p class="border-line border-t px-4 py-2 text-[13px]">
        “{marked.entry.what}” is chosen for comparison: open the other series, and press c.
      </p>
    {/if}
  </div>
  <div class="flex min-h-0 min-w-0 flex-1 flex-col" role="region" aria-label="Series" tabindex="-1" data-part>
    {#if finding}
      {#key finding.code}<CheckPane bind:this={pane} check={finding} calendar={0} calendars={byId} />{/key}
    {:else if kind}
      {#key kind.kind}<ScatteredList bind:this={scattered} {kind} calendars={byId} />{/key}
    {:else}
      <div class="border-line flex items-center gap-3 border-b px-4 py-1 text-[13px]">
        <input
          class="field-small min-w-0 flex-1"
          aria-label="Filter series"
          placeholder="words, calendar:…, zone:…, problem:…"
          value={asked.filter}
          onchange={(event) => {
            row = null;
            change({ filter: event.currentTarget.value.trim() });
          }}
        />
        <Action
          onclick={() => {
            row = null;
            change({ filter: 'repeats:endless' });
          }}
          hint="Series without an end date">Without end</Action
        >
      </div>
      <SeriesList
        filter={asked.filter}
        calendars={byId}
        open={row?.entry.id ?? 0}
        marked={marked?.entry.id ?? 0}
        onopen={(one) => (row = one)}
      />
      {#if row}{#key row.entry.id}<SeriesPane {row} {marked} onmark={mark} />{/key}{/if}
    {/if}
  </div>
</div>
{#if against && marked && row}
  <Against left={marked.entry.id} right={row.entry.id} onclose={() => (against = false)} />
{/if}
