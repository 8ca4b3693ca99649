<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query';
  import { onMount } from 'svelte';
  import Action from '$lib/ui/Action.svelte';
  import PagedList from '$lib/ui/PagedList.svelte';
  import { answer, client } from '$lib/api/client';
  import { calendarsQuery } from '$lib/api/queries';
  import { attempt } from '$lib/state/attempt.svelte';
  import { keys } from '$lib/state/keys.svelte';
  import DayField from '$lib/time/DayField.svelte';
  import { looking } from '$lib/state/looking.svelte';
  import Input from '$lib/ui/Input.svelte';
  import { count, counted, moment } from '$lib/ui/words';
  import { undo } from '$lib/state/undo';

  const queries = useQueryClient();
  const calendars = calendarsQuery();
  const WHO = [
    ['', 'anybody'],
    ['person', 'somebody at these pages'],
    ['command', 'a command'],
    ['key', 'a key'],
    ['clock', 'the clock'],
  ] as const;
  let words = $state('');
  let calendar = $state(0);
  let day = $state('');
  let by = $state<(typeof WHO)[number][0]>('');
  const sought = $derived({ words, by, zone: looking.zone, ...(calendar && { calendar }), ...(day && { day }) });
  const narrowed = $derived(Boolean(words.trim() || calendar || day || by));
  let total = $state(0);
  let known = $state(false);
  let find: HTMLInputElement | undefined = $state();

  function fetchPage(offset: number, limit: number) {
    return answer(
      client.GET('/api/change-sets', { params: { query: { state: 'applied', offset, limit, ...sought } } }),
    );
  }

  onMount(() => {
    void attempt(() => looking.load());
    return keys.offer([{ key: '/', does: 'find a batch', aim: 'find', run: () => find?.focus() }]);
  });
</script>

<svelte:head><title>Logbook · Date Bridge</title></svelte:head>

<div class="px-4 pt-3 pb-2">
  <h1 class="text-xl font-bold">Logbook</h1>
  <p class="text-soft">All changes, newest first. Each batch can be opened and undone.</p>
  <div class="mt-2 flex flex-wrap items-center gap-x-3 gap-y-1 text-[13px]" role="search" aria-label="Find a batch">
    <Input
      bind:element={find}
      bind:value={words}
      class="w-64"
      aria-label="Words"
      placeholder="Words in the title or reason (/)"
    />
    <select class="field-small max-w-56" aria-label="Calendar" bind:value={calendar}>
      <option value={0}>in any calendar</option>
      {#each calendars.data ?? [] as one (one.id)}<option value={one.id}>{one.label}</option>{/each}
    </select>
    <label class="flex items-center gap-1.5"
      >on <DayField label="On the day" placeholder="any day" value={day} onchange={(one) => (day = one)} /></label
    >
    <label class="flex items-center gap-1.5"
      >by <select class="field-small" aria-label="By whom" bind:value={by}>
        {#each WHO as [value, name] (value)}<option {value}>{name}</option>{/each}
      </select></label
    >
    <span class="figures text-soft ml-auto" role="status">{known ? counted(total, 'batch', 'batches') : '…'}</span>
    {#if narrowed}
      <button
        class="text-brass underline"
        onclick={() => {
          words = day = by = '';
          calendar = 0;
        }}>show all</button
      >
    {/if}
  </div>
</div>
<div class="print-table flex min-h-0 flex-1 flex-col">
  <div class="print-head">
    <div
      class="border-ink log gutter grid overflow-hidden gap-x-4 border-b px-4 py-1 text-[13px] font-bold"
      aria-hidden="true"
    >
      <span>Batch</span><span>When</span><span>What</span><span class="text-right">Added</span><span class="text-right"
        >Changed</span
      ><span class="text-right">Removed</span><span>Why</span><span></span>
    </div>
  </div>
  <div class="flex min-h-0 flex-1 flex-col">
    <PagedList
      bind:total
      bind:known
      role="list"
      label="Batches"
      queryKey={['change-sets', 'applied', JSON.stringify(sought)]}
      {fetchPage}
      rowHeight={40}
    >
      {#snippet row(set, _index)}
        <div role="listitem" class="border-line log grid h-full items-center gap-x-4 border-b px-4 text-[13px]">
          {#if set}
            <span class="figures">{set.id}</span>
            <span class="figures">{moment(set.at)}</span>
            <span class="truncate {set.undone_by_id ? 'text-soft line-through' : ''}">
              <a class="hover:text-brass underline decoration-dotted" href="/logbook/{set.id}" title={set.title}
                >{set.title}</a
              >
            </span>
            <span class="figures text-added text-right">{set.creates ? `+ ${count(set.creates)}` : ''}</span>
            <span class="figures text-changed text-right">{set.updates ? `≠ ${count(set.updates)}` : ''}</span>
            <span class="figures text-removed text-right">{set.deletes ? `− ${count(set.deletes)}` : ''}</span>
            <span class="text-soft truncate" title={set.reason}
              >{set.undone_by_id ? `undone by batch ${set.undone_by_id}` : set.reason}</span
            >
            <span class="flex justify-end gap-2">
              <Action href="/logbook/{set.id}" named="Open batch {set.id}: {set.title}">Open</Action>
              {#if !set.undone_by_id && set.undoable}
                <Action
                  onclick={() => void undo(queries, set.id, set.title)}
                  hint="Undo: {set.title}"
                  named="Undo batch {set.id}: {set.title}">Undo</Action
                >
              {/if}
            </span>
          {/if}
        </div>
      {/snippet}
      {#snippet empty()}<p class="text-soft p-6">
          {narrowed ? 'No batch matches.' : 'Nothing has been changed yet.'} What you import or delete is written down here.
        </p>{/snippet}
    </PagedList>
  </div>
</div>

<style>
  :global(.log) {
    grid-template-columns: 44px 130px minmax(0, 2fr) 70px 70px 80px minmax(0, 2fr) 180px;
  }
  @media (max-width: 1050px) {
    :global(.log) {
      grid-template-columns: 32px 130px minmax(0, 2fr) 54px 54px 60px 180px;
    }
    :global(.log > :nth-child(7)) {
      display: none;
    }
  }
  @media (max-width: 760px) {
    :global(.log) {
      grid-template-columns: 32px minmax(0, 1fr) 172px;
    }
    :global(.log > :nth-child(2)),
    :global(.log > :nth-child(n + 4):nth-child(-n + 7)) {
      display: none;
    }
  }
</style>
