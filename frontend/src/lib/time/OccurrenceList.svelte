<script lang="ts">
  import PagedList from '$lib/ui/PagedList.svelte';
  import CutNote from './CutNote.svelte';
  import LayersOff from './LayersOff.svelte';
  import Swatch from '$lib/ui/Swatch.svelte';
  import { answer, client, type Calendar, type Schemas } from '$lib/api/client';

  /** Occurrences of a span as rows, day after day. */
  type Occurrence = Schemas['OccurrenceOut'];
  type Props = {
    first: string;
    count: number;
    zone: string;
    calendars: number[];
    filter: string;
    byId: Map<number, Calendar>;
    overlapping: Set<string>;
    opened: string;
    total?: number;
    onopen: (one: Occurrence) => void;
  };
  let {
    first,
    count,
    zone,
    calendars,
    filter,
    byId,
    overlapping,
    opened,
    total = $bindable(0),
    onopen,
  }: Props = $props();
  let list: ReturnType<typeof PagedList<Occurrence>> | undefined = $state();

  let cut: string[] = $state([]);
  async function fetchPage(offset: number, limit: number) {
    const query = { first, count, zone, calendar: calendars, filter, offset, limit };
    const found = await answer(client.GET('/api/occurrences', { params: { query } }));
    cut = found.cut;
    return found;
  }
</script>

<CutNote titles={cut} />
<div
  class="ledger-of-time border-ink grid shrink-0 items-center gap-x-3 border-b px-4 py-1 text-[13px] font-bold"
  aria-hidden="true"
>
  <span>Day</span><span>Hours</span><span>What</span><span>Where</span><span>Layer</span><span>On its own clock</span>
  <span>Marks</span>
</div>
<PagedList
  bind:this={list}
  bind:total
  role="list"
  label="Occurrences"
  queryKey={['occurrences', first, count, zone, calendars, filter]}
  {fetchPage}
  rowHeight={28}
>
  {#snippet row(one, index)}
    {#if one}
      {@const calendar = byId.get(one.calendar)}
      <div role="listitem" class="h-full">
        <button
          class="ledger-of-time border-line hover:bg-shade grid h-full w-full items-center gap-x-3 border-b px-4 text-left text-[13px] {opened ===
          one.key
            ? 'bg-picked'
            : ''}"
          onclick={() => onopen(one)}
        >
          <span class="figures truncate {list?.rowAt(index - 1)?.date === one.date ? 'text-soft' : 'font-bold'}"
            >{one.date}</span
          >
          <span class="figures truncate">{one.hours || 'whole day'}</span>
          <span class="truncate {one.marks.includes('cancelled') ? 'line-through' : ''}"
            >{#if overlapping.has(one.key)}<span class="text-removed font-bold" title="overlaps"
                >✕
              </span>{/if}{one.title}</span
          >
          <span class="truncate">{one.place}</span>
          <span class="flex min-w-0 items-center gap-1.5"
            >{#if calendar}<Swatch {calendar} />{/if}<span class="truncate">{calendar?.label ?? ''}</span></span
          >
          <span class="figures text-soft truncate">{one.own}</span>
          <span class="text-soft truncate">{one.marks.join(', ')}</span>
        </button>
      </div>
    {:else}<div role="listitem" class="text-soft px-4">…</div>{/if}
  {/snippet}
  {#snippet empty()}
    <div class="p-6">
      <p class="text-soft mb-2">Nothing happens here on the visible layers.</p>
      <LayersOff calendars={[...byId.values()]} />
    </div>
  {/snippet}
</PagedList>

<style>
  .ledger-of-time {
    grid-template-columns:
      124px 140px minmax(0, 2fr) minmax(0, 1.1fr) minmax(0, 1.2fr) minmax(0, 1.6fr)
      minmax(0, 0.8fr);
  }
  /* Where there is little room, what can be read in the drawer is left to it. */
  @media (max-width: 900px) {
    .ledger-of-time {
      grid-template-columns: 116px 124px minmax(0, 2fr) minmax(0, 1fr);
    }
    .ledger-of-time > :nth-child(4),
    .ledger-of-time > :nth-child(n + 6) {
      display: none;
    }
  }
</style>
