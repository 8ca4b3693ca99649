<script lang="ts">
  import { text, view } from '$lib/state/view';
  import { afterNavigate, goto } from '$app/navigation';
  import { page } from '$app/state';
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { onMount, untrack } from 'svelte';
  import Action from '$lib/ui/Action.svelte';
  import Deck from '$lib/ui/Deck.svelte';
  import PagedList from '$lib/ui/PagedList.svelte';
  import Transfer from '$lib/look/Transfer.svelte';
  import EntryDrawer from '$lib/look/EntryDrawer.svelte';
  import Facets from '$lib/look/Facets.svelte';
  import FilterLine from '$lib/look/FilterLine.svelte';
  import Export from '$lib/look/Export.svelte';
  import LedgerRow from '$lib/look/LedgerRow.svelte';
  import Archive from '$lib/look/Archive.svelte';
  import { Selection } from '$lib/look/selection.svelte';
  import Editor from '$lib/time/Editor.svelte';
  import LookNav from '$lib/time/LookNav.svelte';
  import { answer, client, type Entry } from '$lib/api/client';
  import { calendarsQuery } from '$lib/api/queries';
  import { keys } from '$lib/state/keys.svelte';
  import { notices } from '$lib/state/notice.svelte';
  import { showInTime } from '$lib/time/open';
  import { count, counted } from '$lib/ui/words';

  const COLUMNS = [
    { sort: 'when', name: 'When' },
    { sort: 'what', name: 'What' },
    { sort: 'where', name: 'Where' },
    { sort: 'calendar', name: 'Calendar' },
    { sort: 'repeats', name: 'Repeats' },
    { sort: 'zone', name: 'Zone' },
    { sort: 'marks', name: 'Marks' },
  ] as const;
  type Sort = (typeof COLUMNS)[number]['sort'];

  const queries = useQueryClient();
  const calendars = calendarsQuery();
  const byId = $derived(new Map((calendars.data ?? []).map((calendar) => [calendar.id, calendar])));

  const address = view('/look', { filter: text });
  const { filter } = $derived(address.read(page.url.searchParams));
  let sort = $state<Sort>('when');
  let descending = $state(false);
  let total = $state(0);
  let cursor = $state(0);
  let anchor = 0;
  let opened = $state<number | null>(null);
  let editing = $state<number | null>(null);
  let asking = $state<'export' | 'archive' | 'copy' | null>(null);
  const selection = new Selection();
  const chosen = $derived(selection.count(total));
  const check = createQuery(() => ({
    queryKey: ['selection', selection.asked(filter)],
    queryFn: () => answer(client.POST('/api/selections/check', { body: selection.asked(filter) })),
    enabled: chosen > 0,
    placeholderData: (previous) => previous,
  }));
  const readable = $derived(Math.min(chosen, check.data?.only_readable ?? 0));
  const changeable = $derived(chosen - readable);
  const occurrences = $derived(
    `/look/time?view=agenda&span=31${filter ? `&filter=${encodeURIComponent(filter)}` : ''}`,
  );
  const sole = $derived(filter.match(/^(?:account:\S+ )?calendar:(?:"([^"]+)"|(\S+))/));
  const fileName = $derived((sole?.[1] ?? sole?.[2] ?? 'entries') + (filter.includes('before:') ? ' archive' : ''));

  let list: ReturnType<typeof PagedList<Entry>>;
  let line: FilterLine;
  let grid: HTMLDivElement;

  function show(wanted: string): void {
    const url = address.address(page.url.searchParams, { filter: wanted });
    if (wanted !== filter) void goto(url, { replaceState: true, keepFocus: true, noScroll: true });
  }

  $effect(() => {
    void filter;
    untrack(() => selection.clear());
    cursor = 0;
    anchor = 0;
  });

  function fetchPage(offset: number, limit: number) {
    return answer(client.GET('/api/entries', { params: { query: { filter, sort, descending, offset, limit } } }));
  }

  function order(column: Sort): void {
    if (sort === column) descending = !descending;
    else [sort, descending] = [column, false];
    [cursor, anchor] = [0, 0];
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
      if (opened !== null) opened = entry.id;
    }
    grid.focus();
  }

  function move(to: number, extend: boolean): void {
    cursor = Math.max(0, Math.min(to, total - 1));
    list.reveal(cursor);
    if (extend) void stretch(cursor);
    else anchor = cursor;
    const entry = list.rowAt(cursor);
    if (opened !== null && entry) opened = entry.id;
  }

  /** What the cursor is on, asked for where its page has not arrived yet. */
  async function here(): Promise<number | undefined> {
    const query = { filter, sort, descending, first: cursor, last: cursor };
    return list.rowAt(cursor)?.id ?? (await answer(client.GET('/api/entries/ids', { params: { query } })))[0];
  }

  async function toggleHere(): Promise<void> {
    const id = await here();
    if (id !== undefined) selection.toggle(id);
  }

  async function openHere(): Promise<void> {
    opened = (await here()) ?? null;
  }

  /** Open the entry under the cursor where it happens next. */
  async function inTime(): Promise<void> {
    const id = await here();
    if (id !== undefined) await showInTime(id);
  }

  function onkeydown(event: KeyboardEvent): void {
    const screen = list.perScreen();
    const steps: Record<string, number> = {
      ArrowDown: cursor + 1,
      ArrowUp: cursor - 1,
      PageDown: cursor + screen,
      PageUp: cursor - screen,
      Home: 0,
      End: total - 1,
    };
    if (event.key in steps) move(steps[event.key] ?? 0, event.shiftKey);
    else if ((event.ctrlKey || event.metaKey) && event.key === 'a') selection.everything();
    else if (event.ctrlKey || event.metaKey || event.altKey) return;
    else if (event.key === ' ') void toggleHere();
    else if (event.key === 'Enter') void openHere();
    else if (event.key === 'Escape') leave();
    else return;
    event.preventDefault();
    event.stopPropagation();
  }

  function leave(): void {
    if (opened !== null) opened = null;
    else selection.clear();
    grid.focus();
  }

  /** Put the cursor on the first entry that begins today or later. */
  async function today(): Promise<void> {
    if (sort !== 'when' || descending) [sort, descending] = ['when', false];
    const at = await answer(client.GET('/api/entries/today', { params: { query: { filter } } }));
    cursor = anchor = Math.max(0, Math.min(at, total - 1));
    list?.reveal(cursor, 'start');
  }

  function narrow(term: string): void {
    if (!filter.includes(term)) show(`${filter.trim()} ${term}`.trim());
  }

  async function propose(): Promise<void> {
    if (!chosen) return;
    try {
      const proposed = await answer(client.POST('/api/deletions', { body: selection.asked(filter) }));
      await queries.invalidateQueries({ queryKey: ['route'] });
      await goto(`/mend/${proposed.set_id}`);
    } catch (error) {
      notices.wrong(error);
    }
  }

  let arrived = false;
  $effect(() => {
    if (!arrived && total) {
      arrived = true;
      if (!untrack(() => filter)) untrack(() => void today());
    }
  });

  // The keys are for the table as soon as the page is there; not so while somebody types a filter.
  afterNavigate((navigation) => {
    if (navigation.from?.route.id !== navigation.to?.route.id) grid.focus();
  });

  onMount(() =>
    keys.offer([
      { key: '/', does: 'find', run: () => line.focus() },
      { key: 't', does: 'go to today', run: () => void today() },
      { key: '↑ ↓', does: 'move; with Shift, extend the selection' },
      { key: ' ', does: 'select or leave out the row' },
      { key: 'Ctrl+A', does: 'select all that match' },
      { key: 'Enter', does: 'open the entry' },
      { key: 'i', does: 'show the entry in time', run: () => void inTime() },
      { key: 'o', does: 'list occurrences instead', run: () => void goto(occurrences) },
      { key: 'Escape', does: 'close the entry, or clear the selection', run: leave },
      { key: 'Delete', does: 'propose deleting the selection', run: () => void (changeable && propose()) },
      { key: 'p', does: 'archive the selection', run: () => changeable && (asking = 'archive') },
      { key: 'c', does: 'copy or move the selection', run: () => chosen && (asking = 'copy') },
      { key: 'h', does: 'export the selection', run: () => chosen && (asking = 'export') },
    ]),
  );
</script>

<svelte:head><title>Look · Date Bridge</title></svelte:head>
<h1 class="visually-hidden">Look: the table of everything</h1>

<LookNav>
  <span class="figures" role="status">{counted(total, 'entry', 'entries')}</span>
  <Action href={occurrences} hint="Each time it happens, day after day (o)">List occurrences</Action>
</LookNav>
<div class="flex items-start gap-3 px-4 pb-2">
  <FilterLine bind:this={line} bind:value={() => filter, show} />
  <Action onclick={() => void today()} key="t">Today</Action>
  {#if filter}<Action onclick={() => show('')}>Show everything</Action>{/if}
</div>
<Facets {filter} ready={total > 0 || filter !== ''} onnarrow={narrow} />

<div class="flex min-h-0 flex-1">
  <div
    bind:this={grid}
    role="grid"
    aria-label="Entries"
    aria-rowcount={total + 1}
    aria-multiselectable="true"
    aria-activedescendant={total ? `row-${cursor}` : undefined}
    tabindex="0"
    class="flex min-w-0 flex-1 flex-col outline-none"
    class:narrow={opened !== null}
    {onkeydown}
  >
    <div
      role="row"
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
          class="min-w-0 overflow-hidden"
        >
          <button class="hover:text-brass flex h-7 w-full items-center gap-1" onclick={() => order(column.sort)}>
            {column.name}<span aria-hidden="true">{sort === column.sort ? (descending ? '↓' : '↑') : ''}</span>
          </button>
        </div>
      {/each}
    </div>
    <PagedList
      role="rowgroup"
      bind:this={list}
      bind:total
      queryKey={['entries', filter, sort, descending]}
      {fetchPage}
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
          onopen={() => entry && (opened = entry.id)}
        />
      {/snippet}
      {#snippet empty()}
        <div class="p-8" role="row">
          <div role="gridcell">
            {#if filter}
              <p class="mb-3 text-base">Nothing matches <span class="figures">{filter}</span>.</p>
              <Action onclick={() => show('')}>Show everything</Action>
            {:else}
              <p class="mb-3 text-base">There are no entries yet. Import a calendar file to begin.</p>
              <Action kind="main" href="/connect">Go to Connect</Action>
            {/if}
          </div>
        </div>
      {/snippet}
    </PagedList>
  </div>
  {#if editing !== null}
    <Editor
      target={{ entry: editing, series: 0, slot: null }}
      calendars={calendars.data ?? []}
      calendar={0}
      onclose={() => (editing = null)}
      oncopy={(id) => {
        selection.only([id]);
        asking = 'copy';
      }}
      ondone={() => (editing = opened = null)}
    />
  {:else if opened !== null}
    <EntryDrawer id={opened} onclose={leave} onedit={() => (editing = opened)} />
  {/if}
</div>

{#if chosen > 0}
  <Deck label="Selection">
    <span class="figures font-bold">{count(chosen)}</span> of {counted(total, 'entry', 'entries')} selected{selection.all &&
    filter
      ? ' (all that match)'
      : ''}{#if readable}
      <span class="text-changed">
        · {readable === chosen
          ? 'can only be read: copy them to a calendar you may write'
          : `${count(readable)} can only be read`}</span
      >{/if}
    {#snippet actions()}
      {#if !selection.all && total > chosen}
        <Action onclick={() => selection.everything()} key="Ctrl+A">Select all {count(total)} that match</Action>
      {/if}
      <Action onclick={() => selection.clear()}>Clear</Action>
      <Action onclick={() => (asking = 'copy')} key="c">Copy or move {count(chosen)}…</Action>
      <Action onclick={() => (asking = 'export')} key="h">Export {count(chosen)}…</Action>
      {#if changeable}
        <Action onclick={() => (asking = 'archive')} key="p">Archive {count(changeable)}…</Action>
        <Action kind="grave" onclick={() => void propose()} key="Delete">
          Delete {counted(changeable, 'entry', 'entries')}…
        </Action>
      {/if}
    {/snippet}
  </Deck>
{/if}

{#if asking === 'export'}
  <Export selection={selection.asked(filter)} name={fileName} onclose={() => (asking = null)} />
{:else if asking === 'copy'}
  <Transfer selection={selection.asked(filter)} {chosen} name={fileName} onclose={() => (asking = null)} />
{:else if asking === 'archive'}
  <Archive selection={selection.asked(filter)} {chosen} name={fileName} onclose={() => (asking = null)} />
{/if}

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
      16px 250px minmax(0, 2.2fr) minmax(0, 1.1fr) minmax(0, 1.2fr) minmax(0, 1.5fr) minmax(0, 1.2fr)
      minmax(0, 1fr);
  }
  .narrow :global(.ledger) {
    grid-template-columns: 16px 250px minmax(0, 2fr) 0 minmax(0, 1.2fr) 0 0 minmax(0, 0.8fr);
  }
</style>
