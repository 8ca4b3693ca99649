<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query';
  import Action from '$lib/ui/Action.svelte';
  import PagedList from '$lib/ui/PagedList.svelte';
  import { answer, client } from '$lib/api/client';
  import { count, moment } from '$lib/ui/words';
  import { undo } from '$lib/state/undo';

  const queries = useQueryClient();

  function fetchPage(offset: number, limit: number) {
    return answer(client.GET('/api/change-sets', { params: { query: { state: 'applied', offset, limit } } }));
  }
</script>

<svelte:head><title>Logbook · Date Bridge</title></svelte:head>

<div class="px-4 pt-3 pb-2">
  <h1 class="text-xl font-bold">Logbook</h1>
  <p class="text-soft">Every change to any calendar, newest first. Each can be opened, and taken back as a whole.</p>
</div>
<div
  class="border-ink log gutter grid overflow-hidden gap-x-4 border-b px-4 py-1 text-[13px] font-bold"
  aria-hidden="true"
>
  <span>Batch</span><span>When</span><span>What</span><span class="text-right">Added</span><span class="text-right"
    >Changed</span
  ><span class="text-right">Removed</span><span>Why</span><span></span>
</div>
<div class="flex min-h-0 flex-1 flex-col">
  <PagedList role="list" label="Batches" queryKey={['change-sets', 'applied']} {fetchPage} rowHeight={40}>
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
            >{set.undone_by_id ? `taken back by batch ${set.undone_by_id}` : set.reason}</span
          >
          <span class="flex justify-end gap-2">
            <Action href="/logbook/{set.id}" named="Open batch {set.id}: {set.title}">Open</Action>
            {#if !set.undone_by_id && set.undoable}
              <Action
                onclick={() => void undo(queries, set.id, set.title)}
                hint="Take back: {set.title}"
                named="Take back batch {set.id}: {set.title}">Take back</Action
              >
            {/if}
          </span>
        {/if}
      </div>
    {/snippet}
    {#snippet empty()}<p class="text-soft p-6">
        Nothing has been changed yet. What you import or delete is written down here.
      </p>{/snippet}
  </PagedList>
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
