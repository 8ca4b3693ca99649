<script lang="ts" module>
  /** The columns of the table, and what it can be ordered by. */
  export const COLUMNS = [
    { sort: 'when', name: 'When' },
    { sort: 'what', name: 'What' },
    { sort: 'where', name: 'Where' },
    { sort: 'calendar', name: 'Calendar' },
    { sort: 'repeats', name: 'Repeats' },
    { sort: 'zone', name: 'Zone' },
    { sort: 'marks', name: 'Marks' },
  ] as const;
  export type Sort = (typeof COLUMNS)[number]['sort'];
</script>

<script lang="ts">
  import type { Snippet } from 'svelte';
  import { roving } from '$lib/state/focus';
  import PagedList from '$lib/ui/PagedList.svelte';
  import { answer, client, type Entry, type Schemas } from '$lib/api/client';
  import { looking } from '$lib/state/looking.svelte';
  import LedgerRow from './LedgerRow.svelte';
  import type { Selection } from './selection.svelte';

  /**
   * The entries that match, as rows: a cursor, a selection, an order, one clock for all or each its own.
   *
   * `soon` runs what a key asks for, as soon as the filter that was typed before it is applied.
   */
  type Props = {
    filter: string;
    sort: Sort;
    descending: boolean;
    clock: string;
    selection: Selection;
    opened: number | null;
    calendars: Schemas['CalendarOut'][];
    total: number;
    known: boolean;
    empty: Snippet;
    soon: (run: () => void) => void;
    onopen: (id: number) => void;
    onleave: () => void;
    onorder: (column: Sort) => void;
    onclock: () => void;
  };
  let {
    filter,
    sort,
    descending,
    clock,
    selection,
    opened,
    calendars,
    total = $bindable(0),
    known = $bindable(false),
    empty,
    soon,
    onopen,
    onleave,
    onorder,
    onclock,
  }: Props = $props();

  const byId = $derived(new Map(calendars.map((calendar) => [calendar.id, calendar])));
  let list: ReturnType<typeof PagedList<Entry>> | undefined = $state();
  let grid: HTMLDivElement | undefined;
  let cursor = $state(0);
  let anchor = 0;

  export function focus(): void {
    grid?.focus();
  }

  /** The row the cursor is on. */
  export function at(): number {
    return cursor;
  }

  /** Put the cursor on a row. */
  export function put(row: number, align: 'auto' | 'start' = 'auto'): void {
    cursor = anchor = Math.max(0, row);
    requestAnimationFrame(() => list?.reveal(cursor, align));
  }

  /** The entry the cursor is on, asked for where its page has not arrived yet. */
  export async function here(): Promise<number | undefined> {
    const query = { filter, sort, descending, first: cursor, last: cursor };
    return list?.rowAt(cursor)?.id ?? (await answer(client.GET('/api/entries/ids', { params: { query } })))[0];
  }

  /** When the rows are those of the filter. */
  export function arrived(): Promise<void> {
    return list?.arrived() ?? Promise.resolve();
  }

  function fetchPage(offset: number, limit: number) {
    return answer(
      client.GET('/api/entries', { params: { query: { filter, sort, descending, offset, limit, zone: clock } } }),
    );
  }

  async function stretch(to: number): Promise<void> {
    const [first, last] = [Math.min(anchor, to), Math.max(anchor, to)];
    const ids = await answer(
      client.GET('/api/entries/ids', { params: { query: { filter, sort, descending, first, last } } }),
    );
    selection.only(ids);
  }

  function pick(event: MouseEvent, index: number, entry: Entry): void {
    cursor = index;
    if (event.shiftKey) void stretch(index);
    else {
      anchor = index;
      if (event.ctrlKey || event.metaKey) selection.toggle(entry.id);
      else selection.only([entry.id]);
      if (opened !== null) onopen(entry.id);
    }
    focus();
  }

  function move(to: number, extend: boolean): void {
    cursor = Math.max(0, Math.min(to, total - 1));
    list?.reveal(cursor);
    if (extend) void stretch(cursor);
    else anchor = cursor;
    const entry = list?.rowAt(cursor);
    if (opened !== null && entry) onopen(entry.id);
  }

  async function toggleHere(): Promise<void> {
    const id = await here();
    if (id !== undefined) selection.toggle(id);
  }

  async function openHere(): Promise<void> {
    const id = await here();
    if (id !== undefined) onopen(id);
  }

  function onkeydown(event: KeyboardEvent): void {
    const screen = list?.perScreen() ?? 10;
    const steps: Record<string, () => number> = {
      ArrowDown: () => cursor + 1,
      ArrowUp: () => cursor - 1,
      PageDown: () => cursor + screen,
      PageUp: () => cursor - screen,
      Home: () => 0,
      End: () => total - 1,
    };
    const to = steps[event.key];
    const { shiftKey } = event;
    if (to) soon(() => move(to(), shiftKey));
    else if (event.ctrlKey || event.metaKey || event.altKey) return;
    else if (event.key === ' ') soon(() => void toggleHere());
    else if (event.key === 'Enter') soon(() => void openHere());
    else if (event.key === 'Escape') onleave();
    else return;
    event.preventDefault();
    event.stopPropagation();
  }
</script>

<div
  bind:this={grid}
  role="grid"
  data-rest
  data-part
  aria-label="Entries"
  aria-rowcount={total + 1}
  aria-multiselectable="true"
  aria-activedescendant={total && list?.draws(cursor) ? `row-${cursor}` : undefined}
  tabindex="0"
  class="print-table flex min-w-0 flex-1 flex-col outline-none"
  class:narrow={opened !== null}
  {onkeydown}
>
  <div class="print-head" role="presentation">
    <div
      role="row"
      {@attach roving('[data-head]')}
      class="ledger gutter border-ink bg-paper grid items-center gap-x-3 overflow-hidden border-b px-4 text-[13px] font-bold"
    >
      <div role="columnheader" class="flex">
        <button
          tabindex="-1"
          class="figures border-line bg-sheet h-4 w-4 border text-[11px] leading-3"
          aria-label={selection.all ? 'Select nothing' : 'Select all that match'}
          title="Select all that match (Ctrl+A)"
          onclick={() => (selection.all ? selection.clear() : selection.everything())}
          >{selection.all ? '✓' : ''}</button
        >
      </div>
      {#each COLUMNS as column (column.sort)}
        <div
          role="columnheader"
          aria-sort={sort === column.sort ? (descending ? 'descending' : 'ascending') : 'none'}
          class="flex min-w-0 items-center gap-2 overflow-hidden"
        >
          <button data-head class="hover:text-brass flex h-7 items-center gap-1" onclick={() => onorder(column.sort)}>
            {column.name}<span aria-hidden="true">{sort === column.sort ? (descending ? '↓' : '↑') : ''}</span>
          </button>
          {#if column.sort === 'when'}
            <button
              data-head
              class="text-brass font-normal whitespace-nowrap underline"
              title="Show all times in one zone, or each in its own"
              onclick={onclock}>{clock ? `on the clock of ${looking.clocks[0]?.name}` : 'each on its own clock'}</button
            >
          {/if}
        </div>
      {/each}
    </div>
  </div>
  <PagedList
    role="rowgroup"
    bind:this={list}
    bind:total
    bind:known
    queryKey={['entries', filter, sort, descending, clock]}
    enabled={looking.ready}
    {fetchPage}
    {empty}
    rowHeight={30}
  >
    {#snippet row(entry, index)}
      <LedgerRow
        {entry}
        {index}
        calendar={byId.get(entry?.calendar_id ?? 0)}
        selected={entry ? selection.has(entry.id) : selection.all}
        current={index === cursor}
        onpick={(event) => entry && pick(event, index, entry)}
        ontoggle={() => entry && selection.toggle(entry.id)}
        onopen={() => entry && onopen(entry.id)}
      />
    {/snippet}
  </PagedList>
</div>

<style>
  [role='grid']:focus-visible {
    outline: none;
  }
  [role='grid']:focus-visible :global(.current) {
    outline: 2px solid var(--brass);
    outline-offset: -2px;
  }
  :global(.ledger) {
    grid-template-columns:
      16px 250px minmax(0, 2.2fr) minmax(0, 1.1fr) minmax(0, 1.2fr) minmax(0, 1.2fr) minmax(0, 1.7fr)
      minmax(0, 0.9fr);
  }
  @media (max-width: 1050px) {
    :global(.ledger) {
      grid-template-columns: 16px 250px minmax(0, 2fr) 0 minmax(0, 1.2fr) 0 minmax(0, 1.2fr) 0;
    }
  }
  @media (max-width: 760px) {
    :global(.ledger) {
      grid-template-columns: 16px 236px minmax(0, 1fr) 0 0 0 0 0;
    }
  }
  .narrow :global(.ledger) {
    grid-template-columns: 16px 250px minmax(0, 2fr) 0 minmax(0, 1.2fr) 0 0 minmax(0, 0.8fr);
  }
</style>
