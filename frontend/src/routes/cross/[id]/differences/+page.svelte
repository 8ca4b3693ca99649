<script lang="ts">
  import { page } from '$app/state';
  import { useQueryClient } from '@tanstack/svelte-query';
  import { onMount } from 'svelte';
  import Action from '$lib/ui/Action.svelte';
  import JobLine from '$lib/ui/JobLine.svelte';
  import PagedList from '$lib/ui/PagedList.svelte';
  import BothBanks from '$lib/cross/BothBanks.svelte';
  import { answer, client, type Job, type Schemas } from '$lib/api/client';
  import { key, query, refreshAll, refreshTopics } from '$lib/api/queries';
  import { keepInAddress } from '$lib/state/address';
  import { attempt, begin } from '$lib/state/attempt.svelte';
  import { walking } from '$lib/state/focus';
  import { keys } from '$lib/state/keys.svelte';
  import { notices } from '$lib/state/notice.svelte';
  import { number, text, view, type Changes } from '$lib/state/view';
  import { count, counted } from '$lib/ui/words';

  /** What verifying found, by kind: what nobody can explain first; each opens to its entries, and these to two banks. */
  type Kind = Schemas['DifferenceKindOut'];
  const shape = { kind: text, lane: number(0), entry: text };
  const queries = useQueryClient();
  const id = $derived(Number(page.params.id));
  const path = $derived({ crossing_id: id });
  const address = $derived(view(`/cross/${id}/differences`, shape));
  const asked = $derived(address.read(page.url.searchParams));
  const only = $derived(asked.lane ? [asked.lane] : []);
  const crossing = query(() => ({
    queryKey: key('crossing', id),
    queryFn: () => answer(client.GET('/api/crossings/{crossing_id}', { params: { path } })),
  }));
  const kinds = query(() => ({
    queryKey: key('crossing-differences', id, asked.lane),
    queryFn: () =>
      answer(client.GET('/api/crossings/{crossing_id}/differences', { params: { path, query: { lane: only } } })),
    retry: false,
  }));
  const mark = (one: Kind) => `${one.verdict}|${one.fields}|${one.cause}|${one.reason}`;
  const open = $derived((kinds.data ?? []).find((one) => mark(one) === asked.kind) ?? kinds.data?.[0]);
  const lane = $derived(crossing.data?.lanes.find((one) => one.id === asked.lane));
  const names = $derived(new Map(crossing.data?.lanes.map((one) => [one.id, one.target])));
  const unexplained = $derived(
    (kinds.data ?? []).filter((one) => !one.cause).reduce((sum, one) => sum + one.number, 0),
  );
  const ends = $derived(asked.entry.split('-').map(Number));
  /** Both calendars on the day on which the entry begins. */
  const mirrored = $derived.by(() => {
    const of = crossing.data?.lanes.find((one) => one.id === ends[2]);
    const day = /^(\d{4})(\d\d)(\d\d)$/.exec(asked.entry.split('-')[4] ?? '');
    if (!of?.target_id || !day) return '';
    return `/look/sides?left=${of.source_id}&right=${of.target_id}&on=${day.slice(1).join('-')}`;
  });
  /** The entry that is open, by its lane and its place among the differences of that. */
  const place = $derived<[number, number]>([ends[2] ?? 0, ends[3] ?? 0]);
  const GLYPH: Record<string, string> = { changed: '≠', missing: '−', extra: '+', left: '·' };
  const CAUSE: Record<string, string> = {
    '': 'unexplained',
    plan: 'by the plan',
    remedy: 'a remedy',
    loss: 'foretold',
    since: 'since',
    ruled: 'ruled right',
    left: 'left behind',
  };

  function change(changes: Changes<typeof shape>): void {
    void keepInAddress(address.address(page.url.searchParams, changes));
  }

  let job = $state<number | null>(null);
  async function again(kind: Kind, positions: [number, number][] = []): Promise<void> {
    const { verdict, fields, cause, reason } = kind;
    const body = { lanes: only, verdict, fields, cause, reason, positions };
    await begin(async () => {
      const call = client.POST('/api/crossings/{crossing_id}/carry-again', { params: { path }, body });
      job = (await answer(call)).job_id;
    });
  }

  async function ended(done: Job): Promise<void> {
    await refreshAll(queries);
    job = null;
    if (done.state !== 'done') notices.say(done.message, 'wrong');
    else notices.say('Carried again. Verify once it has arrived.');
  }

  async function right(kind: Kind, positions: [number, number][] = []): Promise<void> {
    const { verdict, fields, cause, reason } = kind;
    const body = { lanes: only, verdict, fields, cause, reason, positions };
    await attempt(() => answer(client.POST('/api/crossings/{crossing_id}/right', { params: { path }, body })));
    await refreshTopics(queries, ['crossings']);
  }

  /** One of them alone; the address is changed at once, or it would call back whoever has left meanwhile. */
  function rightAlone(kind: Kind, at: [number, number]): void {
    change({ entry: '' });
    void right(kind, [at]);
  }

  onMount(() =>
    keys.offer([
      { key: '↑ ↓', does: 'from one kind of difference to the next; Enter opens it', aim: 'find' },
      {
        key: 'w',
        does: 'rule all differences of this kind to be right',
        aim: 'change',
        run: () => void (open && !open.cause && right(open)),
      },
      {
        key: 's',
        does: 'the source counts: carry all of this kind again',
        aim: 'change',
        run: () => void (open && !open.cause && open.verdict !== 'extra' && again(open)),
      },
    ]),
  );
</script>

<svelte:head><title>Differences · {crossing.data?.name ?? 'Crossing'} · Date Bridge</title></svelte:head>
<div class="border-line flex flex-wrap items-baseline gap-x-4 border-b px-4 pt-3 pb-2">
  <h1 class="text-xl font-bold">Differences{lane ? ` of ${lane.target}` : ''}</h1>
  <span class="figures {unexplained ? 'text-removed font-bold' : ''}" role="status"
    >{unexplained
      ? `${counted(unexplained, 'difference is', 'differences are')} unexplained`
      : kinds.data?.length
        ? 'Every difference is explained'
        : ''}</span
  >
  <span class="ml-auto flex gap-2">
    {#if asked.lane}<Action onclick={() => change({ lane: '', kind: '', entry: '' })}>Of all lanes</Action>{/if}
    <Action href="/cross/{id}">Back to {crossing.data?.name ?? 'the crossing'}</Action>
  </span>
</div>
{#if kinds.isError}
  <p class="text-removed p-4">{kinds.error.message}</p>
{:else if kinds.data && !kinds.data.length}
  <p class="p-6">
    Nothing is otherwise at the target than at the source, or nothing was verified yet. Verify the crossing to compare
    both ends.
  </p>
{:else if open}
  <div class="flex min-h-0 flex-1 max-[900px]:flex-col">
    <div
      class="border-ink w-[42%] shrink-0 overflow-y-auto border-r max-[900px]:max-h-56 max-[900px]:w-full"
      role="region"
      aria-label="Kinds of difference"
      tabindex="-1"
      data-rest
      data-part
      {@attach walking('button')}
    >
      <ul>
        {#each kinds.data ?? [] as one (mark(one))}
          <li>
            <button
              class="border-line flex w-full items-baseline gap-3 border-b px-4 py-1 text-left text-[13px] {open === one
                ? 'bg-picked font-bold'
                : 'hover:bg-shade'}"
              aria-current={open === one ? 'true' : undefined}
              onclick={() => change({ kind: mark(one), entry: '' })}
            >
              <span class="w-24 shrink-0 {one.cause ? 'text-soft' : 'text-removed'}">{CAUSE[one.cause]}</span>
              <span class="w-20 shrink-0 font-normal">{GLYPH[one.verdict]} {one.verdict}</span>
              <span class="min-w-0 flex-1"
                >{one.reason}{one.fields && !one.reason.includes(one.fields) ? ` (${one.fields})` : ''}</span
              >
              <span class="figures w-14 text-right">{count(one.number)}</span>
            </button>
          </li>
        {/each}
      </ul>
    </div>
    <div class="flex min-h-0 min-w-0 flex-1 flex-col" role="region" aria-label="The difference" tabindex="-1" data-part>
      <div class="border-line border-b px-4 py-2">
        <h2 class="text-lg leading-6 font-bold">{open.reason}</h2>
        <p class="text-soft text-[13px]">
          {counted(open.number, 'entry', 'entries')}: {open.verdict}{open.fields ? `, ${open.fields}` : ''}
        </p>
        {#if job !== null}<div class="my-2"><JobLine id={job} onended={(done) => void ended(done)} /></div>{/if}
        {#if !open.cause}
          <p class="mt-1 flex flex-wrap gap-2">
            <Action
              onclick={() => void right(open)}
              key="w"
              hint="They stay as they are and count as explained; another state of one is asked about again"
              >Rule all {count(open.number)} to be right</Action
            >
            {#if open.verdict !== 'extra'}
              <Action onclick={() => void again(open)} key="s" disabled={job !== null}
                >The source counts for all {count(open.number)}</Action
              >
            {/if}
          </p>
        {/if}
      </div>
      <PagedList
        role="list"
        label="Entries"
        queryKey={['crossing-differences', id, asked.lane, mark(open)]}
        fetchPage={(offset, limit) =>
          answer(
            client.GET('/api/crossings/{crossing_id}/differences/entries', {
              params: {
                path,
                query: {
                  verdict: open.verdict,
                  fields: open.fields,
                  cause: open.cause,
                  reason: open.reason,
                  lane: only,
                  offset,
                  limit,
                },
              },
            }),
          )}
        rowHeight={30}
      >
        {#snippet row(one, _at)}
          <div role="listitem" class="border-line h-full border-b text-[13px]">
            {#if one}
              {@const here = `${one.source_id ?? 0}-${one.there_id ?? 0}-${one.lane}-${one.position}-${one.day.replaceAll('-', '')}`}
              <button
                class="flex h-full w-full items-center gap-3 px-4 text-left {asked.entry === here
                  ? 'bg-picked font-bold'
                  : 'hover:bg-shade'}"
                aria-current={asked.entry === here ? 'true' : undefined}
                onclick={() => change({ entry: here })}
              >
                <span class="min-w-0 flex-1 truncate" title={one.title}>{one.title}</span>
                <span class="text-soft">{one.moved_by}</span>
                <span class="figures text-soft"
                  >{one.occurrences > 1 ? counted(one.occurrences, 'occurrence', 'occurrences') : ''}</span
                >
                <span class="text-soft max-w-48 truncate">{names.get(one.lane) ?? ''}</span>
              </button>
            {:else}<span class="text-soft px-4">…</span>{/if}
          </div>
        {/snippet}
        {#snippet empty()}<p class="text-soft p-4">No entries.</p>{/snippet}
      </PagedList>
      {#if asked.entry && ends.length > 3}
        <p class="border-line flex flex-wrap items-center gap-2 border-t px-4 py-1">
          {#if mirrored}<a class="text-brass underline" href={mirrored}>On the mirrored days</a>{/if}
          {#if !open.cause}
            <Action onclick={() => rightAlone(open, place)}>Rule this one to be right</Action>
            {#if open.verdict !== 'extra'}
              <Action onclick={() => void again(open, [place])} disabled={job !== null}
                >The source counts for this one</Action
              >
            {/if}
          {/if}
        </p>
      {/if}
      {#if asked.entry}
        <BothBanks crossing={id} source={ends[0] ?? 0} there={ends[1] ?? 0} />
      {/if}
    </div>
  </div>
{:else}
  <p class="text-soft p-6" role="status">Fetching…</p>
{/if}
