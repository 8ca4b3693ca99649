<script lang="ts">
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { useQueryClient } from '@tanstack/svelte-query';
  import { onMount } from 'svelte';
  import Action from '$lib/ui/Action.svelte';
  import Deck from '$lib/ui/Deck.svelte';
  import JobLine from '$lib/ui/JobLine.svelte';
  import PagedList from '$lib/ui/PagedList.svelte';
  import AlikeList from '$lib/mend/AlikeList.svelte';
  import CompareForm from '$lib/mend/CompareForm.svelte';
  import MendNav from '$lib/mend/MendNav.svelte';
  import PairPane from '$lib/mend/PairPane.svelte';
  import { answer, client, type Job, type Schemas } from '$lib/api/client';
  import { calendarsQuery, key, query } from '$lib/api/queries';
  import { keepInAddress } from '$lib/state/address';
  import { begin } from '$lib/state/attempt.svelte';
  import { today } from '$lib/state/clock';
  import { walking } from '$lib/state/focus';
  import { keys } from '$lib/state/keys.svelte';
  import { notices } from '$lib/state/notice.svelte';
  import { number, text, view, type Changes } from '$lib/state/view';
  import { later } from '$lib/time/layout';
  import { count, counted } from '$lib/ui/words';

  /** Two calendars that should be the same: what differs, by kind, month and field, and making one as the other is. */
  type Side = 'left' | 'right';
  const queries = useQueryClient();
  const calendars = calendarsQuery();
  const shape = { left: number(0), right: number(0), comparison: number(0), verdict: text, month: text, field: text };
  const address = view('/mend/reconcile', shape);
  const asked = $derived(address.read(page.url.searchParams));
  const made = query(() => ({
    queryKey: key('comparisons'),
    queryFn: () => answer(client.GET('/api/comparisons')),
  }));
  /** Two calendars that are to be compared, from elsewhere; nothing of earlier comparisons is shown then. */
  const fresh = $derived(asked.left > 0 && asked.right > 0 && !asked.comparison);
  const current = $derived(asked.comparison || (fresh ? 0 : (made.data?.[0]?.id ?? 0)));
  const review = query(() => ({
    queryKey: key('comparison', current),
    queryFn: () =>
      answer(client.GET('/api/comparisons/{comparison_id}', { params: { path: { comparison_id: current } } })),
    enabled: current > 0,
    retry: false,
  }));
  const told = $derived(review.data?.comparison);
  const day = (years: number) => later(today(), 365 * years);
  const form = $derived({
    left: told?.left_id ?? asked.left,
    right: told?.right_id ?? asked.right,
    first: told?.days.slice(0, 10) ?? day(-1),
    last: told?.days.slice(13) ?? day(1),
  });
  let job = $state<number | null>(null);
  let adjusting = $state<number | null>(null);
  let shown = $state<number | null>(null);
  let total = $state(0);

  const filters = $derived({ verdict: asked.verdict, month: asked.month, field: asked.field });
  type Verdict = NonNullable<Schemas['AdjustIn']['verdict']>;

  function change(changes: Changes<typeof shape>): void {
    void keepInAddress(address.address(page.url.searchParams, changes));
  }

  async function compare(wanted: { left: number; right: number; first: string; last: string }): Promise<void> {
    await begin(async () => {
      job = (await answer(client.POST('/api/comparisons', { body: wanted }))).job_id;
    });
  }

  async function compared(done: Job): Promise<void> {
    job = null;
    const result = done.result as { comparison?: number } | null;
    if (done.state !== 'done' || !result?.comparison) return notices.say(done.message, 'wrong');
    // Before anything of it is shown: what is chosen from then on stays chosen.
    change({ left: '', right: '', comparison: String(result.comparison), verdict: '', month: '', field: '' });
    for (const kind of ['comparisons', 'comparison', 'pairs']) void queries.invalidateQueries({ queryKey: [kind] });
  }

  async function adjust(to: Side, pairs: number[] = []): Promise<void> {
    if (!told || !total) return;
    await begin(async () => {
      const body = {
        to,
        pairs,
        verdict: asked.verdict as Verdict,
        month: asked.month,
        field: asked.field,
      };
      const params = { path: { comparison_id: current } };
      adjusting = (await answer(client.POST('/api/comparisons/{comparison_id}/adjust', { params, body }))).job_id;
    });
  }

  async function adjusted(done: Job): Promise<void> {
    adjusting = null;
    const set = (done.result as { set_id?: number } | null)?.set_id;
    if (done.state === 'done' && set) await goto(`/mend/${set}`);
    else notices.say(done.message, 'wrong');
  }
  const again = () => told && void compare(form);

  onMount(() =>
    keys.offer([
      { key: '↑ ↓', does: 'from one kind of difference to the next', aim: 'find' },
      { key: '>', does: 'make the right side match the left', aim: 'change', run: () => void adjust('right') },
      { key: '<', does: 'make the left side match the right', aim: 'change', run: () => void adjust('left') },
      { key: 'c', does: 'compare again', aim: 'find', run: again },
    ]),
  );
</script>

<svelte:head><title>Reconcile · Date Bridge</title></svelte:head>
<MendNav>
  <span class="figures" role="status"
    >{told
      ? told.different
        ? `${counted(told.different, 'pair differs', 'pairs differ')} of ${count(told.pairs)}`
        : 'no difference is left'
      : ''}</span
  >
</MendNav>
<h1 class="visually-hidden">Mend: reconcile two calendars</h1>
<div class="border-line flex flex-wrap items-center gap-x-6 gap-y-2 border-y px-4 py-2" data-part>
  {#key current}<CompareForm
      calendars={calendars.data ?? []}
      asked={form}
      busy={job !== null}
      oncompare={(wanted) => void compare(wanted)}
    />{/key}
  {#if form.left && form.right}
    <a class="text-brass text-[13px] underline" href="/look/sides?left={form.left}&right={form.right}"
      >Show both day by day</a
    >
  {/if}
  {#if (made.data?.length ?? 0) > 1}
    <label class="text-soft ml-auto flex items-center gap-2 text-[13px]"
      >earlier
      <select
        class="field-small max-w-64"
        aria-label="Earlier comparisons"
        value={current}
        onchange={(event) => change({ comparison: event.currentTarget.value, verdict: '', month: '', field: '' })}
      >
        {#each made.data ?? [] as one (one.id)}<option value={one.id}>{one.left} – {one.right}</option>{/each}
      </select></label
    >
  {/if}
</div>
{#if job !== null}<div class="px-4 py-2"><JobLine id={job} onended={(done) => void compared(done)} /></div>{/if}
{#if made.isError}<p class="text-removed px-4 py-2">{made.error.message}</p>{/if}
{#if made.data && !current}
  <p class="max-w-[80ch] px-4 py-4">
    Choose two calendars that should be equal: a file and the account it came from, or the old and the new one. Entries
    are paired and all occurrences are compared; nothing is changed.
  </p>
  <div class="px-4">
    <AlikeList onpick={(left, right) => void compare({ left, right, first: form.first, last: form.last })} />
  </div>
{:else if told && review.data}
  <div class="border-line flex flex-wrap items-baseline gap-x-5 border-b px-4 py-1 text-[13px]">
    <span class="figures">{told.days}</span>
    <span class="figures text-same">= {count(told.same)} times the same</span>
    <span class="figures text-changed">≠ {count(told.changed)} changed</span>
    <span class="figures text-removed">− {count(told.missing)} only left</span>
    <span class="figures text-added">+ {count(told.extra)} only right</span>
    {#if told.outdated}<span class="text-changed"
        >Entries have changed since this comparison. <Action onclick={again} key="c">Compare again</Action></span
      >{/if}
  </div>
  <div class="flex min-h-0 flex-1 max-[900px]:flex-col">
    <div
      class="border-ink w-[290px] shrink-0 overflow-y-auto border-r max-[900px]:max-h-56 max-[900px]:w-full max-[900px]:border-r-0 max-[900px]:border-b"
      role="region"
      aria-label="Differences by group"
      tabindex="-1"
      data-rest
      data-part
      {@attach walking('button')}
    >
      {#each [{ name: 'verdict', title: 'By kind', rows: review.data.verdicts }, { name: 'month', title: 'By month', rows: review.data.months }, { name: 'field', title: 'By field', rows: review.data.fields }] as const as group (group.name)}
        {#if group.rows.length}
          <h2 class="bg-shade px-4 py-1 text-[13px] font-bold">{group.title}</h2>
          {#each group.rows as one (one.value)}
            {@const on = filters[group.name] === one.value}
            <button
              class="border-line flex w-full items-center gap-3 border-b px-4 py-1 text-left text-[13px] {on
                ? 'bg-picked font-bold'
                : 'hover:bg-shade'}"
              aria-pressed={on}
              title={one.says}
              onclick={() => change({ [group.name]: on ? '' : one.value })}
            >
              <span class="min-w-0 flex-1 truncate">{one.title}</span>
              <span class="figures">{count(one.count)}</span>
            </button>
          {/each}
        {/if}
      {/each}
      {#if !told.different}<p class="px-4 py-3">No differences: both calendars are equal on these days.</p>{/if}
    </div>
    <div class="flex min-h-0 min-w-0 flex-1 flex-col" role="region" aria-label="Pairs" tabindex="-1" data-part>
      <PagedList
        bind:total
        role="list"
        label="Pairs that differ"
        queryKey={['pairs', current, asked.verdict, asked.month, asked.field]}
        fetchPage={(offset, limit) =>
          answer(
            client.GET('/api/comparisons/{comparison_id}/pairs', {
              params: {
                path: { comparison_id: current },
                query: { verdict: asked.verdict as Verdict, month: asked.month, field: asked.field, offset, limit },
              },
            }),
          )}
        rowHeight={44}
      >
        {#snippet row(one, _at)}
          <div role="listitem" class="border-line flex h-full items-center gap-4 border-b px-4 text-[13px]">
            {#if one}
              <span class="figures text-soft">{one.month}</span>
              <span class="min-w-0 flex-1">
                <strong class="block truncate font-medium">{one.title || '(no title)'}</strong>
                <span class="text-soft block truncate" title="{one.says} {one.matched}"
                  >{one.says}{one.matched ? ` · paired by content: ${one.matched}` : ''}</span
                >
              </span>
              <span class="figures text-soft whitespace-nowrap"
                >{[
                  one.same && `= ${count(one.same)}`,
                  one.changed && `≠ ${count(one.changed)}`,
                  one.missing && `− ${count(one.missing)}`,
                  one.extra && `+ ${count(one.extra)}`,
                ]
                  .filter(Boolean)
                  .join('  ')}</span
              >
              <Action onclick={() => (shown = one.id)} named="Times: {one.title}">Times</Action>
              <Action onclick={() => void adjust('left', [one.id])} named="◂ Make left match right: {one.title}"
                >◂</Action
              >
              <Action onclick={() => void adjust('right', [one.id])} named="▸ Make right match left: {one.title}"
                >▸</Action
              >
            {:else}<span class="text-soft">…</span>{/if}
          </div>
        {/snippet}
        {#snippet empty()}<p class="text-soft p-4">No differences of this kind.</p>{/snippet}
      </PagedList>
      {#if adjusting !== null}<div class="px-4 py-2">
          <JobLine id={adjusting} onended={(done) => void adjusted(done)} />
        </div>{/if}
    </div>
  </div>
  {#if told.different}
    <Deck label="Make one side match the other">
      <span class="figures">{counted(total, 'pair', 'pairs')}</span>
      {#snippet actions()}
        <Action onclick={() => void adjust('left')} key="<">Make {told.left} match {told.right}…</Action>
        <Action kind="main" onclick={() => void adjust('right')} key=">">Make {told.right} match {told.left}…</Action>
      {/snippet}
    </Deck>
  {/if}
{:else if review.isError}<p class="text-removed px-4 py-2">{review.error.message}</p>
{:else if current}<p class="text-soft px-4 py-3" role="status">Reading the comparison…</p>{/if}
{#if shown !== null && told}
  <PairPane pair={shown} left={told.left} right={told.right} onclose={() => (shown = null)} />
{/if}
