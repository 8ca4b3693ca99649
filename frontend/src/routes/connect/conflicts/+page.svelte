<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query';
  import Action from '$lib/ui/Action.svelte';
  import PagedList from '$lib/ui/PagedList.svelte';
  import { answer, client } from '$lib/api/client';
  import { key, query, refreshAll } from '$lib/api/queries';
  import { attempt } from '$lib/state/attempt.svelte';
  import { notices } from '$lib/state/notice.svelte';

  /** Changes that failed where their calendars live: refused there, or is in conflict with somebody else's. */
  const queries = useQueryClient();

  function fetchPage(offset: number, limit: number) {
    return answer(client.GET('/api/conflicts', { params: { query: { offset, limit } } }));
  }

  async function again(id: number): Promise<void> {
    const params = { path: { push_id: id } };
    if (await attempt(async () => answer(client.POST('/api/conflicts/{push_id}/mine', { params })))) {
      notices.say('The change is pending again.');
      await refreshAll(queries);
    }
  }

  const refusals = query(() => ({
    queryKey: key('pushes', 'refusals'),
    queryFn: async () => (await fetchPage(0, 1)).refusals,
  }));
  const many = $derived((refusals.data ?? []).filter((one) => one.count > 1));

  async function againAll(wanted: { remote_id?: number; message?: string }): Promise<void> {
    const body = { remote_id: wanted.remote_id ?? null, message: wanted.message ?? null };
    let count = 0;
    const asked = async () => {
      count = (await answer(client.POST('/api/conflicts/again', { body }))).count;
    };
    if (await attempt(asked)) {
      notices.say(`${changes(count)} ${count === 1 ? 'is' : 'are'} tried again.`);
      await refreshAll(queries);
    }
  }

  const changes = (count: number) => `${count.toLocaleString('en-GB')} ${count === 1 ? 'change' : 'changes'}`;

  async function theirs(id: number): Promise<void> {
    const params = { path: { push_id: id } };
    if (await attempt(async () => answer(client.POST('/api/conflicts/{push_id}/theirs', { params })))) {
      notices.say('Their version is used. The logbook has both.');
      await refreshAll(queries);
    }
  }
</script>

<svelte:head><title>To decide · Date Bridge</title></svelte:head>

<div class="flex items-center gap-4 px-4 pt-3 pb-2">
  <div class="flex-1">
    <h1 class="text-xl font-bold">Changes that failed</h1>
    <p class="text-soft">
      The server refused these changes, or somebody else changed the same entry in the meantime. Both sides are
      unchanged.
    </p>
  </div>
  <Action href="/connect">Back to Connect</Action>
</div>
{#if many.length > 0}
  <section class="border-line max-h-44 overflow-y-auto border-t px-4 py-2" aria-label="Refused, by calendar and reason">
    <ul>
      {#each many as one (`${one.remote_id} ${one.message}`)}
        <li class="flex items-center gap-4 py-1 text-[13px]">
          <strong class="text-removed w-20">{one.count.toLocaleString('en-GB')} refused</strong>
          <span class="text-soft w-72 truncate" title="{one.calendar} on {one.account}"
            >{one.calendar}, {one.account}</span
          >
          <span class="min-w-0 flex-1 truncate" title={one.message}>{one.message}</span>
          <Action onclick={() => void againAll(one)}>Try {changes(one.count)} again</Action>
        </li>
      {/each}
    </ul>
    {#if many.length > 1}
      <Action onclick={() => void againAll({})}>Try all refused changes again</Action>
    {/if}
  </section>
{/if}
<div class="border-ink flex min-h-0 flex-1 flex-col border-t">
  <PagedList role="list" label="Changes that failed" queryKey={['pushes']} {fetchPage} rowHeight={48}>
    {#snippet row(one, _index)}
      <div role="listitem" class="border-line flex h-full items-center gap-4 border-b px-4 text-[13px]">
        {#if one}
          <strong class="w-20 {one.state === 'conflict' ? 'text-changed' : 'text-removed'}">{one.state}</strong>
          <span class="w-72 min-w-0 truncate" title="{one.when} {one.what}">
            <span class="block truncate font-medium">{one.what}</span>
            <span class="figures text-soft block text-[12px]">{one.when}</span>
          </span>
          <span class="text-soft w-52 truncate" title="{one.calendar} on {one.account}"
            >{one.calendar}, {one.account}</span
          >
          <span class="min-w-0 flex-1 truncate" title={one.message}>{one.message}</span>
          <a class="text-soft w-16 underline" href="/logbook/{one.set_id}" title={one.batch}>batch {one.set_id}</a>
          {#if one.state === 'conflict' && one.kind === 'entry'}
            <Action kind="main" href="/connect/conflicts/{one.id}">Both sides…</Action>
          {:else}
            {#if one.kind === 'entry'}
              <Action onclick={() => void theirs(one.id)} hint="Replace the entry here with the one on the server"
                >Use theirs</Action
              >
            {/if}
            <Action onclick={() => void again(one.id)}>Try again</Action>
          {/if}
        {/if}
      </div>
    {/snippet}
    {#snippet empty()}<p class="p-6">None. Every change has been pushed, or is pending.</p>{/snippet}
  </PagedList>
</div>
