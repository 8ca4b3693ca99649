<script lang="ts">
  import { page } from '$app/state';
  import { useQueryClient } from '@tanstack/svelte-query';
  import { onMount } from 'svelte';
  import Action from '$lib/ui/Action.svelte';
  import BothBanks from '$lib/cross/BothBanks.svelte';
  import { answer, client, type Schemas } from '$lib/api/client';
  import { key, query, refreshAll } from '$lib/api/queries';
  import { keepInAddress } from '$lib/state/address';
  import { attempt } from '$lib/state/attempt.svelte';
  import { walking } from '$lib/state/focus';
  import { keys } from '$lib/state/keys.svelte';
  import { text, view } from '$lib/state/view';
  import { count, counted } from '$lib/ui/words';

  /** What a run left to be decided: which end counts. */
  type Waiting = Schemas['LaneDecisionOut'];
  const queries = useQueryClient();
  const id = $derived(Number(page.params.id));
  const path = $derived({ crossing_id: id });
  const shape = { one: text };
  const address = $derived(view(`/cross/${id}/decisions`, shape));
  const asked = $derived(address.read(page.url.searchParams));
  const waiting = query(() => ({
    queryKey: key('crossing-decisions', id),
    queryFn: () => answer(client.GET('/api/crossings/{crossing_id}/decisions', { params: { path } })),
    retry: false,
  }));
  const rows = $derived(waiting.data ?? []);
  const mark = (one: Waiting) => `${one.batch}-${one.position}`;
  const open = $derived(rows.find((one) => mark(one) === asked.one) ?? rows[0]);
  const alike = $derived(rows.filter((one) => one.reason === open?.reason));
  /** So many are shown at once; the others come once these are decided. */
  const MOST = 500;

  async function decide(some: Waiting[], counts: 'source' | 'target'): Promise<void> {
    const chosen = some.map((one): [number, number] => [one.batch, one.position]);
    const body = { chosen, counts };
    await attempt(() => answer(client.POST('/api/crossings/{crossing_id}/decisions', { params: { path }, body })));
    await refreshAll(queries);
  }

  onMount(() =>
    keys.offer([
      { key: '↑ ↓', does: 'from one entry to the next; Enter opens it', aim: 'find' },
      { key: 's', does: 'the source counts', aim: 'change', run: () => void (open && decide([open], 'source')) },
      {
        key: 't',
        does: 'the target stays as it is',
        aim: 'change',
        run: () => void (open && decide([open], 'target')),
      },
    ]),
  );
</script>

<svelte:head><title>Decisions · Date Bridge</title></svelte:head>
<div class="border-line flex flex-wrap items-baseline gap-x-4 border-b px-4 pt-3 pb-2">
  <h1 class="text-xl font-bold">What has to be decided</h1>
  <span class="figures" role="status"
    >{waiting.data ? (rows.length ? counted(rows.length, 'entry waits', 'entries wait') : 'Nothing waits') : ''}</span
  >
  <span class="ml-auto"><Action href="/cross/{id}">Back to the crossing</Action></span>
</div>
{#if waiting.isError}
  <p class="text-removed p-4">{waiting.error.message}</p>
{:else if !rows.length}
  <p class="p-6">{waiting.data ? 'No entry of this crossing waits for a decision.' : 'Fetching…'}</p>
{:else if open}
  <div class="flex min-h-0 flex-1 flex-col">
    <div
      class="min-h-0 flex-1 overflow-y-auto"
      role="region"
      aria-label="Entries"
      tabindex="-1"
      data-rest
      data-part
      {@attach walking('button')}
    >
      <ul>
        {#each rows.slice(0, MOST) as one (mark(one))}
          <li>
            <button
              class="border-line flex w-full items-center gap-4 border-b px-4 py-1 text-left text-[13px] {open === one
                ? 'bg-picked font-bold'
                : 'hover:bg-shade'}"
              aria-current={open === one ? 'true' : undefined}
              onclick={() => void keepInAddress(address.address(page.url.searchParams, { one: mark(one) }))}
            >
              <span class="min-w-0 flex-1 truncate">{one.title}</span>
              <span class="text-soft w-48 truncate font-normal">{one.calendar}</span>
              <span class="w-[45%] font-normal">{one.reason}</span>
            </button>
          </li>
        {/each}
        {#if rows.length > MOST}<li class="text-soft px-4 py-2">And {count(rows.length - MOST)} more.</li>{/if}
      </ul>
    </div>
    <div class="bg-shade border-ink flex flex-wrap items-center gap-2 border-t-2 px-4 py-2" data-deck>
      <span class="min-w-0 flex-1 truncate"><strong>{open.title}</strong>: {open.reason}</span>
      {#if alike.length > 1}
        <Action onclick={() => void decide(alike, 'target')}>Leave all {count(alike.length)} of this kind</Action>
        <Action onclick={() => void decide(alike, 'source')}>The source counts for all {count(alike.length)}</Action>
      {/if}
      <Action onclick={() => void decide([open], 'target')} key="t"
        >{open.there_id ? 'Leave the target as it is' : 'Leave it deleted there'}</Action
      >
      <Action kind="main" onclick={() => void decide([open], 'source')} key="s"
        >{open.source_id ? 'Take the source’s state' : 'Delete it there too'}</Action
      >
    </div>
    <BothBanks crossing={id} source={open.source_id ?? 0} there={open.there_id ?? 0} />
  </div>
{/if}
