<script lang="ts">
  import PagedList from '$lib/ui/PagedList.svelte';
  import { answer, client, type Calendar, type Schemas } from '$lib/api/client';

  /** All series that match a filter, a row each; one of them is open. */
  type Row = Schemas['SeriesRow'];
  type Props = {
    filter: string;
    calendars: Map<number, Calendar>;
    open: number;
    marked: number;
    onopen: (row: Row) => void;
  };
  const { filter, calendars, open, marked, onopen }: Props = $props();
  let list: ReturnType<typeof PagedList<Row>> | undefined = $state();
  let total = $state(0);

  // Whoever comes finds the first one open.
  $effect(() => {
    const first = total > 0 ? list?.rowAt(0) : undefined;
    if (first && !open) onopen(first);
  });
  const COLUMNS =
    'grid grid-cols-[minmax(130px,1fr)_minmax(150px,1.2fr)_84px_84px_96px_70px_minmax(150px,1.4fr)] gap-x-3';
</script>

<div class="bg-shade text-soft gutter overflow-hidden px-4 py-1 text-[12px] {COLUMNS}" aria-hidden="true">
  <span>series</span><span>repeats</span><span>first</span><span>last</span><span>so far, to come</span><span
    >changes</span
  ><span>health</span>
</div>
<PagedList
  bind:this={list}
  bind:total
  role="list"
  label="Series"
  queryKey={['series', filter]}
  fetchPage={(offset, limit) =>
    answer(client.GET('/api/series', { params: { query: { filter, sort: 'what', offset, limit } } }))}
  rowHeight={30}
>
  {#snippet row(one, _at)}
    <div role="listitem" class="border-line h-full border-b">
      {#if one}
        <button
          class="h-full w-full px-4 text-left text-[13px] {COLUMNS} items-center {open === one.entry.id
            ? 'bg-picked'
            : 'hover:bg-shade'}"
          aria-current={open === one.entry.id ? 'true' : undefined}
          onclick={() => onopen(one)}
        >
          <span
            class="truncate font-medium"
            title="{one.entry.what}, {calendars.get(one.entry.calendar_id ?? 0)?.label}"
            >{marked === one.entry.id ? '◂ ' : ''}{one.entry.what}</span
          >
          <span class="truncate" title={one.entry.repeats}>{one.entry.repeats}</span>
          <span class="figures">{one.first}</span>
          <span class="figures">{one.last || 'no end'}</span>
          <span class="figures truncate">{one.so_far || 'very many'}, {one.to_come || '0'}</span>
          <span class="figures truncate"
            >{[one.left_out && `−${one.left_out}`, one.extra && `+${one.extra}`, one.changed && `≠${one.changed}`]
              .filter(Boolean)
              .join(' ') || '·'}</span
          >
          <span class="truncate {one.ill.length ? 'text-changed' : 'text-soft'}" title={one.ill.join('; ')}
            >{one.ill.length ? one.ill.join('; ') : 'sound'}</span
          >
        </button>
      {:else}<span class="text-soft px-4">…</span>{/if}
    </div>
  {/snippet}
  {#snippet empty()}<p class="text-soft p-4">No series matches this.</p>{/snippet}
</PagedList>
