<script lang="ts">
  import { goto } from '$app/navigation';
  import Action from '$lib/ui/Action.svelte';
  import JobLine from '$lib/ui/JobLine.svelte';
  import PagedList from '$lib/ui/PagedList.svelte';
  import { answer, client, type Calendar, type Job, type Schemas } from '$lib/api/client';
  import { attempt, begin } from '$lib/state/attempt.svelte';
  import { notices } from '$lib/state/notice.svelte';
  import { count, counted } from '$lib/ui/words';

  /** What belongs to one series and stands scattered: put together one by one, or all of a kind. */
  type Props = { kind: Schemas['KindOut']; calendars: Map<number, Calendar> };
  const { kind, calendars }: Props = $props();
  let job = $state<number | null>(null);
  let where = $state(0);
  let total = $state(0);
  const VERBS = { inferred: 'Combine', pieces: 'Join', detached: 'Attach', endless: 'End today' } as const;

  export async function combine(ids: number[] = []): Promise<void> {
    await begin(async () => {
      const body = { ids, kind: kind.kind, calendar_id: where || null, least: 0.5 };
      job = (await answer(client.POST('/api/series/combine', { body }))).job_id;
    });
  }

  async function show(ids: number[]): Promise<void> {
    await attempt(async () => {
      const { term } = await answer(client.POST('/api/entries/uids', { body: ids }));
      await goto(`/look?filter=${encodeURIComponent(term)}`);
    });
  }

  async function made(done: Job): Promise<void> {
    job = null;
    const set = (done.result as { set_id?: number } | null)?.set_id;
    if (done.state === 'done' && set) await goto(`/mend/${set}`);
    else notices.say(done.message, 'wrong');
  }
</script>

<div class="border-line border-b px-4 py-2">
  <h2 class="text-lg leading-6 font-bold">
    {kind.title}: {count(total)}{total === kind.count ? '' : ` of ${count(kind.count)}`}
  </h2>
  <p class="mt-1">
    {kind.says.charAt(0).toUpperCase() + kind.says.slice(1)}. {kind.kind === 'endless'
      ? 'Past occurrences stay; future ones are removed.'
      : 'No occurrence changes its time.'}
  </p>
  <div class="mt-2 flex flex-wrap gap-2">
    <Action kind="main" key="p" onclick={() => void combine()} hint="Makes a proposal; nothing is changed yet"
      >{VERBS[kind.kind]} all {count(total)}…</Action
    >
    <label class="flex items-center gap-2 text-[13px]"
      >in <select class="field-small max-w-64" aria-label="Calendar" bind:value={where}>
        <option value={0}>all calendars</option>
        {#each [...calendars.values()] as one (one.id)}<option value={one.id}>{one.label}</option>{/each}
      </select></label
    >
  </div>
  {#if job !== null}<div class="mt-2"><JobLine id={job} onended={(done) => void made(done)} /></div>{/if}
</div>
<PagedList
  bind:total
  role="list"
  label={kind.title}
  queryKey={['scattered', kind.kind, kind.count, where]}
  fetchPage={(offset, limit) =>
    answer(
      client.GET('/api/series/scattered', {
        params: { query: { kind: kind.kind, ...(where ? { calendar: where } : {}), offset, limit } },
      }),
    )}
  rowHeight={48}
>
  {#snippet row(one, _at)}
    <div role="listitem" class="border-line flex h-full items-center gap-4 border-b px-4 text-[13px]">
      {#if one}
        <span class="min-w-0 flex-1">
          <strong class="block truncate font-medium">{one.title}</strong>
          <span class="block truncate">{one.words}</span>
        </span>
        <span class="text-soft max-w-40 truncate">{calendars.get(one.calendar_id)?.label ?? ''}</span>
        <span class="figures w-24 text-right whitespace-nowrap">{counted(one.entries, 'entry', 'entries')}</span>
        <span class="figures w-20 text-right">{one.sure} % sure</span>
        <Action onclick={() => void show(one.uids)} named="Show the entries: {one.title}">Show</Action>
        <Action onclick={() => void combine([one.id])} named="{VERBS[kind.kind]}: {one.title}"
          >{VERBS[kind.kind]}…</Action
        >
      {:else}<span class="text-soft">…</span>{/if}
    </div>
  {/snippet}
  {#snippet empty()}<p class="text-soft p-4">No scattered series.</p>{/snippet}
</PagedList>
