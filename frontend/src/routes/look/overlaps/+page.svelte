<script lang="ts">
  import { day, number, on, text, unless, view, type Changes } from '$lib/state/view';
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { onMount } from 'svelte';
  import Action from '$lib/ui/Action.svelte';
  import PagedList from '$lib/ui/PagedList.svelte';
  import { answer, client, type Schemas } from '$lib/api/client';
  import { calendarsQuery, key, query } from '$lib/api/queries';
  import { keepInAddress } from '$lib/state/address';
  import { attempt } from '$lib/state/attempt.svelte';
  import { keys } from '$lib/state/keys.svelte';
  import CutNote from '$lib/time/CutNote.svelte';
  import LayerStrip from '$lib/time/LayerStrip.svelte';
  import LookNav from '$lib/time/LookNav.svelte';
  import Party from '$lib/time/Party.svelte';
  import { today } from '$lib/state/clock';
  import { looking } from '$lib/state/looking.svelte';
  import { count as said, counted } from '$lib/ui/words';

  type Overlap = Schemas['OverlapOut'];
  const SPANS = [
    { days: 1, name: 'a day' },
    { days: 7, name: 'a week' },
    { days: 31, name: 'a month' },
    { days: 92, name: 'a quarter' },
    { days: 366, name: 'a year' },
  ];
  const calendars = calendarsQuery();
  const all = $derived(calendars.data ?? []);
  const byId = $derived(new Map(all.map((calendar) => [calendar.id, calendar])));
  const shown = $derived(looking.on(all));

  const shape = {
    on: day(today),
    count: number(31),
    about: text,
    all: on,
    whole: unless,
    travel: unless,
    least: number(1),
    shared: on,
    who: text,
  };
  const address = view('/look/overlaps', shape);
  const asked = $derived(address.read(page.url.searchParams));
  const { on: first, count, about, all: every, whole: wholeDays, travel, least, shared, who } = $derived(asked);

  function set(changes: Changes<typeof shape>): void {
    const next = address.address(page.url.searchParams, changes);
    void keepInAddress(next);
  }

  const asking = $derived({
    first,
    count,
    zone: looking.zone,
    calendar: shown,
    about,
    blocking: !every,
    whole_days: wholeDays,
    travel,
    least,
    shared,
    who: who
      .split(/\band\b|,/)
      .map((one) => one.trim())
      .filter(Boolean)
      .slice(0, 2),
  });
  const summary = query(() => ({
    queryKey: key('overlaps', 'all', asking),
    queryFn: () => answer(client.GET('/api/overlaps', { params: { query: { ...asking, limit: 100 } } })),
    enabled: looking.ready && calendars.isSuccess,
    placeholderData: (previous) => previous,
  }));
  let total = $state(0);
  let known = $state(false);
  let dayText = $state('');
  let find: HTMLInputElement;

  function fetchPage(offset: number, limit: number) {
    return answer(client.GET('/api/overlaps', { params: { query: { ...asking, offset, limit } } }));
  }

  function open(one: Schemas['OccurrenceOut']): void {
    void goto(`/look/time?view=week&on=${one.day}&open=${one.key}`);
  }

  async function jump(): Promise<void> {
    await attempt(async () => {
      const found = await answer(
        client.GET('/api/phrases/date', { params: { query: { text: dayText, zone: looking.zone } } }),
      );
      dayText = '';
      set({ on: found.day });
    });
  }

  async function inTable(ids: number[]): Promise<void> {
    await attempt(async () => {
      const uids = await answer(client.POST('/api/entries/uids', { body: ids.slice(0, 60) }));
      await goto(`/look?filter=${encodeURIComponent(uids.term)}`);
    });
  }

  const file = $derived.by(() => {
    const search = new URLSearchParams();
    for (const [name, value] of Object.entries(asking))
      for (const one of Array.isArray(value) ? value : [value]) search.append(name, String(one));
    return `/api/overlaps/file?${search}`;
  });

  onMount(() => {
    void attempt(() => looking.load());
    return keys.offer([
      { key: '/', does: 'filter the overlaps', aim: 'find', run: () => find.focus() },
      {
        key: 'f',
        does: 'what blocks time only, or everything',
        aim: 'find',
        run: () => set({ all: every ? '' : 'yes' }),
      },
      { key: 'i', does: 'with or without whole days', aim: 'find', run: () => set({ whole: wholeDays ? 'no' : '' }) },
      { key: 'b', does: 'show all layers', aim: 'layers', run: () => looking.allBack() },
    ]);
  });
</script>

<svelte:head><title>Overlaps · Date Bridge</title></svelte:head>
<h1 class="visually-hidden">Look: overlaps</h1>
<LookNav />

<div class="flex shrink-0 flex-wrap items-center gap-x-3 gap-y-1 px-4 py-1.5 text-[13px]">
  <span>From <strong class="figures">{first}</strong> for</span>
  <select
    class="field-small"
    aria-label="Span"
    value={count}
    onchange={(event) => set({ count: event.currentTarget.value })}
  >
    {#each SPANS as one (one.days)}<option value={one.days}>{one.name}</option>{/each}
    {#if !SPANS.some((one) => one.days === count)}<option value={count}>{count} days</option>{/if}
  </select>
  <form
    onsubmit={(event) => {
      event.preventDefault();
      void jump();
    }}
  >
    <input bind:value={dayText} class="field-small w-36" placeholder="from another day" aria-label="From another day" />
  </form>
  <label class="flex items-center gap-1.5"
    >only those of
    <input
      bind:this={find}
      class="field-small w-44"
      placeholder="a title or layer (/)"
      aria-label="Only overlaps of"
      value={about}
      oninput={(event) => set({ about: event.currentTarget.value })}
    /></label
  >
  <label class="flex items-center gap-1.5"
    >of whom
    <input
      class="field-small w-44"
      placeholder="ida, or ida and jonas"
      title="A name, an address or a calendar: events at the same time. Two of them joined by “and”: times when both are needed"
      aria-label="Of whom"
      value={who}
      oninput={(event) => set({ who: event.currentTarget.value })}
    /></label
  >
  <label class="flex items-center gap-1"
    ><input
      type="checkbox"
      class="accent-brass"
      checked={shared}
      onchange={(event) => set({ shared: event.currentTarget.checked ? 'yes' : '' })}
    />only of the same person or place</label
  >
  <label class="flex items-center gap-1"
    ><input
      type="checkbox"
      class="accent-brass"
      checked={!every}
      onchange={(event) => set({ all: event.currentTarget.checked ? '' : 'yes' })}
    />only what blocks time</label
  >
  <label class="flex items-center gap-1"
    ><input
      type="checkbox"
      class="accent-brass"
      checked={wholeDays}
      onchange={(event) => set({ whole: event.currentTarget.checked ? '' : 'no' })}
    />whole days too</label
  >
  <label class="flex items-center gap-1"
    ><input
      type="checkbox"
      class="accent-brass"
      checked={travel}
      onchange={(event) => set({ travel: event.currentTarget.checked ? '' : 'no' })}
    />with the way there</label
  >
  <label class="flex items-center gap-1"
    >at least <input
      type="number"
      min="1"
      max="1440"
      class="field-small w-16"
      aria-label="Minutes that must overlap"
      value={least}
      onchange={(event) => set({ least: event.currentTarget.value })}
    /> min</label
  >
</div>
<LayerStrip calendars={all} />
<CutNote titles={summary.data?.cut ?? []} />
<div class="border-ink flex shrink-0 items-center gap-3 border-b px-4 py-1 text-[13px]">
  <strong class="figures" role="status"
    >{known ? counted(total, 'overlap', 'overlaps') : '…'}{summary.data?.capped
      ? ' and more: narrow the span or the layers'
      : ''}</strong
  >
  {#if summary.data?.twins}
    <span class="text-soft"
      >{counted(summary.data.twins, 'pair', 'pairs')} left out: the same entry in two calendars</span
    >
  {/if}
  <span class="ml-auto flex gap-2">
    {#if total}
      <Action onclick={() => void inTable(summary.data?.entries ?? [])}
        >Show {(summary.data?.entries.length ?? 0) > 60 ? 'the first 60' : said(summary.data?.entries.length ?? 0)} entries
        in the table</Action
      >
      <a
        class="border-line bg-sheet hover:bg-shade h-control flex items-center border px-3 text-sm font-medium"
        href={file}
        download
        data-sveltekit-reload>Export as CSV</a
      >
    {/if}
  </span>
</div>
{#if looking.ready && calendars.isSuccess}
  <PagedList
    bind:total
    bind:known
    role="list"
    label="Overlaps"
    queryKey={['overlaps', 'list', JSON.stringify(asking)]}
    {fetchPage}
    rowHeight={46}
  >
    {#snippet row(one: Overlap | undefined)}
      {#if one}
        <div
          role="listitem"
          class="border-line grid h-full grid-cols-[minmax(0,1fr)_132px_minmax(0,1fr)] items-center gap-2 border-b px-4 text-[13px]"
        >
          <Party one={one.left} calendar={byId.get(one.left.calendar)} onopen={() => open(one.left)} />
          <button
            class="text-removed border-removed hover:bg-shade flex flex-col items-center border-x-2 leading-4"
            title="Show both in the table"
            onclick={() => void inTable([one.left.entry, one.right.entry])}
          >
            <span class="figures font-bold">{one.shared}</span>
            <span class="text-[11px]">{one.travel ? 'on the way' : 'overlap'}</span>
          </button>
          <Party one={one.right} calendar={byId.get(one.right.calendar)} onopen={() => open(one.right)} />
        </div>
      {:else}<div role="listitem" class="text-soft px-4">…</div>{/if}
    {/snippet}
    {#snippet empty()}
      <p class="text-soft p-6 text-base">
        No overlaps here{about ? ` with “${about}”` : ''}, among the {shown.length} visible layers.
      </p>
    {/snippet}
  </PagedList>
{/if}
