<script lang="ts">
  import { choice, number, on, text, view, type Changes } from '$lib/state/view';
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { useQueryClient } from '@tanstack/svelte-query';
  import { onMount, tick, untrack } from 'svelte';
  import type { Snapshot } from './$types';
  import { keepInAddress } from '$lib/state/address';
  import { attempt } from '$lib/state/attempt.svelte';
  import Action from '$lib/ui/Action.svelte';
  import Deck from '$lib/ui/Deck.svelte';
  import Transfer from '$lib/look/Transfer.svelte';
  import EntryDrawer from '$lib/look/EntryDrawer.svelte';
  import Facets from '$lib/look/Facets.svelte';
  import FilterLine from '$lib/look/FilterLine.svelte';
  import Export from '$lib/look/Export.svelte';
  import Ledger, { COLUMNS, type Sort } from '$lib/look/Ledger.svelte';
  import Archive from '$lib/look/Archive.svelte';
  import Change from '$lib/look/Change.svelte';
  import { Selection } from '$lib/look/selection.svelte';
  import Editor from '$lib/time/Editor.svelte';
  import LookNav from '$lib/time/LookNav.svelte';
  import { answer, client, Refusal } from '$lib/api/client';
  import { accountsQuery, calendarsQuery, key, query, refresh } from '$lib/api/queries';
  import { keys } from '$lib/state/keys.svelte';
  import { notices } from '$lib/state/notice.svelte';
  import { looking } from '$lib/state/looking.svelte';
  import { showInTime } from '$lib/time/open';
  import { count, counted } from '$lib/ui/words';

  const queries = useQueryClient();
  const calendars = calendarsQuery();
  accountsQuery(); // whoever copies can type the name of an account at once

  const shape = {
    filter: text,
    sort: choice(
      COLUMNS.map((column) => column.sort),
      'when',
    ),
    down: on,
    entry: number(0),
    clock: choice(['', 'own'], ''),
  };
  const address = view('/look', shape);
  const asked = $derived(address.read(page.url.searchParams));
  const { filter, sort, down: descending } = $derived(asked);
  const opened = $derived(asked.entry || null);
  const clock = $derived(asked.clock === 'own' ? '' : looking.zone);
  let total = $state(0);
  let known = $state(false);
  let arrived = false;
  let editing = $state<number | null>(null);
  let dialog = $state<'export' | 'archive' | 'copy' | 'change' | null>(null);
  const selection = new Selection();
  const chosen = $derived(selection.count(total));
  const check = query(() => ({
    queryKey: key('selection', selection.asked(filter)),
    queryFn: () => answer(client.POST('/api/selections/check', { body: selection.asked(filter) })),
    enabled: chosen > 0,
    placeholderData: (previous) => previous,
  }));
  const readable = $derived(Math.min(chosen, check.data?.only_readable ?? 0));
  const changeable = $derived(chosen - readable);
  const occurrences = $derived(
    `/look/time?view=agenda&span=31${filter ? `&filter=${encodeURIComponent(filter)}` : ''}`,
  );
  const only = $derived(filter.match(/^(?:account:\S+ )?calendar:(?:"([^"]+)"|(\S+))/));
  const fileName = $derived((only?.[1] ?? only?.[2] ?? 'entries') + (filter.includes('before:') ? ' archive' : ''));

  let line: FilterLine | undefined;
  let ledger: Ledger | undefined;

  function change(changes: Changes<typeof shape>): Promise<void> {
    const url = address.address(page.url.searchParams, changes);
    return keepInAddress(url);
  }

  /** Show matches: done when its rows are there. */
  async function show(wanted: string): Promise<void> {
    if (wanted === filter) return;
    await change({ filter: wanted, entry: '' });
    await tick();
    await ledger?.arrived();
  }

  /** The filter the selection is of: under another one nothing is selected. */
  let of = untrack(() => filter);
  $effect(() => {
    if (filter === of) return;
    of = filter;
    untrack(() => selection.clear());
    ledger?.put(0);
  });

  // Where one was and what was selected survives a reload, and leaving and coming back.
  export const snapshot: Snapshot = {
    capture: () => ({ of, cursor: ledger?.at(), all: selection.all, ids: [...selection.ids] }),
    restore: (kept) => {
      if (kept.of !== filter) return;
      arrived = true;
      of = kept.of;
      [selection.all, selection.ids] = [kept.all, new Set(kept.ids)];
      ledger?.put(kept.cursor);
    },
  };

  function order(column: Sort): void {
    void change({ sort: column === 'when' ? '' : column, down: sort === column && !descending ? 'yes' : '' });
    ledger?.put(0);
  }

  /** Open the entry under the cursor where it happens next. */
  async function inTime(): Promise<void> {
    await attempt(async () => {
      const id = await ledger?.here();
      if (id !== undefined) await showInTime(id);
    });
  }

  function leave(): void {
    if (opened !== null) void change({ entry: '' });
    else selection.clear();
    ledger?.focus();
  }

  /** Put the cursor on the first entry that begins today or later. */
  async function today(): Promise<void> {
    if (sort !== 'when' || descending) await change({ sort: '', down: '' });
    const at = await answer(client.GET('/api/entries/today', { params: { query: { filter } } }));
    ledger?.put(Math.min(at, total - 1), 'start');
  }

  /** Narrow to a count: the term comes into the line, and the caret behind it, to go on typing. */
  function narrow(term: string): void {
    line?.add(term);
  }

  async function propose(): Promise<void> {
    if (!changeable) {
      if (chosen) notices.say('These read-only: copy them to a writable calendar.', 'wrong');
      return;
    }
    try {
      const proposed = await answer(client.POST('/api/deletions', { body: selection.asked(filter) }));
      await refresh(queries, 'route');
      await goto(`/mend/${proposed.set_id}`);
    } catch (error) {
      notices.wrong(error);
    }
  }

  /** More rows than this are handed on as a file. */
  const MOST_COPIED = 20_000;

  /** Put the selection on the clipboard as a table that a spreadsheet takes. */
  async function toClipboard(): Promise<void> {
    if (!chosen) return;
    if (chosen > MOST_COPIED) {
      notices.say(`These are more than ${count(MOST_COPIED)} rows for the clipboard. Export them as a file.`, 'wrong');
      return;
    }
    const said = chosen;
    try {
      const query = new URLSearchParams({ format: 'tsv', zone: clock });
      const response = await fetch(`/api/exports?${query}`, {
        method: 'POST',
        headers: { 'Content-Type': 'application/json' },
        body: JSON.stringify(selection.asked(filter)),
      });
      if (!response.ok) throw new Refusal('The table was not created.');
      await navigator.clipboard.writeText(await response.text());
      notices.say(`On the clipboard: ${counted(said, 'entry', 'entries')}, one row each.`);
    } catch (error) {
      notices.wrong(error);
    }
  }

  $effect(() => {
    if (!arrived && total) {
      arrived = true;
      if (!untrack(() => filter)) untrack(() => void today());
    }
  });

  const soon = (run: () => void) => line?.soon(run);
  onMount(() => {
    void looking.load();
    return keys.offer([
      { key: '/', does: 'enter a filter; Enter goes to the table', aim: 'find', run: () => line?.focus() },
      { key: '↑ ↓', does: 'move; with Shift, extend the selection', aim: 'find' },
      { key: ' ', does: 'select or deselect the row', aim: 'find' },
      { key: 'Ctrl+A', does: 'select all that match', aim: 'find', run: () => soon(() => selection.everything()) },
      { key: 'Enter', does: 'open the entry', aim: 'find' },
      { key: 'Escape', does: 'close the entry, or clear the selection', aim: 'find', run: leave },
      { key: '.', does: 'today', aim: 'time', run: () => soon(() => void today()) },
      { key: 'i', does: 'show the entry in time', aim: 'time', run: () => soon(() => void inTime()) },
      { key: 'o', does: 'list occurrences instead', aim: 'time', run: () => soon(() => void goto(occurrences)) },
      {
        key: 'Delete',
        does: 'propose deleting the selection',
        aim: 'change',
        run: () => soon(() => chosen && void propose()),
      },
      {
        key: 'a',
        does: 'archive the selection',
        aim: 'change',
        run: () => soon(() => changeable && (dialog = 'archive')),
      },
      {
        key: 'm',
        does: 'change the selection',
        aim: 'change',
        run: () => soon(() => changeable && (dialog = 'change')),
      },
      {
        key: 'c',
        does: 'copy or move the selection',
        aim: 'change',
        run: () => soon(() => chosen && (dialog = 'copy')),
      },
      {
        key: 'Ctrl+C',
        does: 'copy the selection as a table',
        aim: 'change',
        run: () => soon(() => void toClipboard()),
      },
      {
        key: 'e',
        does: 'export the selection',
        aim: 'change',
        run: () => soon(() => chosen && (dialog = 'export')),
      },
    ]);
  });
</script>

<svelte:head><title>Look · Date Bridge</title></svelte:head>
<h1 class="visually-hidden">Look: the table of everything</h1>

<LookNav>
  <span class="figures" role="status">{known ? counted(total, 'entry', 'entries') : '…'}</span>
  <Action href={occurrences} hint="List every occurrence (o)">List occurrences</Action>
</LookNav>
<div class="flex flex-wrap items-start gap-x-3 gap-y-1 px-4 pb-2">
  <FilterLine bind:this={line} value={filter} onapply={show} onleave={() => ledger?.focus()} />
  <Action onclick={() => void today()} key=".">Today</Action>
  {#if filter}<Action href="/share/new?filter={encodeURIComponent(filter)}" hint="share what this filter finds"
      >Share…</Action
    ><Action onclick={() => void show('')}>Clear the filter</Action>{/if}
</div>
<Facets {filter} ready={total > 0 || filter !== ''} onnarrow={narrow} />

<div class="flex min-h-0 flex-1">
  <Ledger
    bind:this={ledger}
    bind:total
    bind:known
    {filter}
    {sort}
    {descending}
    {clock}
    {selection}
    {opened}
    calendars={calendars.data ?? []}
    {soon}
    onopen={(id) => void change({ entry: String(id) })}
    onleave={leave}
    onorder={order}
    onclock={() => void change({ clock: clock ? 'own' : '' })}
  >
    {#snippet empty()}
      <div class="p-8" role="row">
        <div role="gridcell">
          {#if filter}
            <p class="mb-3 text-base">Nothing matches <span class="figures">{filter}</span>.</p>
            <Action onclick={() => void show('')}>Clear the filter</Action>
          {:else}
            <p class="mb-3 text-base">There are no entries yet. Import a calendar file to begin.</p>
            <Action kind="main" href="/connect">Go to Connect</Action>
          {/if}
        </div>
      </div>
    {/snippet}
  </Ledger>
  {#if editing !== null}
    <Editor
      target={{ entry: editing, series: 0, slot: null }}
      calendars={calendars.data ?? []}
      calendar={0}
      onclose={() => (editing = null)}
      oncopy={(id) => {
        selection.only([id]);
        dialog = 'copy';
      }}
      ondone={() => {
        editing = null;
        void change({ entry: '' });
      }}
    />
  {:else if opened !== null}
    <EntryDrawer id={opened} onclose={leave} onedit={() => (editing = opened)} />
  {/if}
</div>

{#if chosen > 0}
  <Deck label="Selection">
    <p role="status">
      <span class="figures font-bold">{count(chosen)}</span> of {counted(total, 'entry', 'entries')} selected{selection.all &&
      filter
        ? ' (all that match)'
        : ''}{#if readable}
        <span class="text-changed">
          · {readable === chosen ? 'read-only: copy them to a writable calendar' : `${count(readable)} read-only`}</span
        >{/if}
    </p>
    {#snippet actions()}
      {#if !selection.all && total > chosen}
        <Action onclick={() => selection.everything()} key="Ctrl+A">Select all {count(total)} that match</Action>
      {/if}
      <Action onclick={() => selection.clear()}>Clear</Action>
      <Action onclick={() => void toClipboard()} key="Ctrl+C" hint="As a table for a spreadsheet">Copy rows</Action>
      <Action onclick={() => (dialog = 'copy')} key="c">Copy or move {count(chosen)}…</Action>
      <Action onclick={() => (dialog = 'export')} key="e">Export {count(chosen)}…</Action>
      {#if changeable}
        <Action onclick={() => (dialog = 'change')} key="m">Change {count(changeable)}…</Action>
        <Action onclick={() => (dialog = 'archive')} key="a">Archive {count(changeable)}…</Action>
        <Action kind="grave" onclick={() => void propose()} key="Delete">
          Delete {counted(changeable, 'entry', 'entries')}…
        </Action>
      {/if}
    {/snippet}
  </Deck>
{/if}

{#if dialog === 'export'}
  <Export selection={selection.asked(filter)} name={fileName} onclose={() => (dialog = null)} />
{:else if dialog === 'copy'}
  <Transfer selection={selection.asked(filter)} {chosen} name={fileName} onclose={() => (dialog = null)} />
{:else if dialog === 'change'}
  <Change selection={selection.asked(filter)} {chosen} {readable} onclose={() => (dialog = null)} />
{:else if dialog === 'archive'}
  <Archive selection={selection.asked(filter)} {chosen} name={fileName} onclose={() => (dialog = null)} />
{/if}
