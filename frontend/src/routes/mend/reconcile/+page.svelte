<script lang="ts">
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { onMount } from 'svelte';
  import Action from '$lib/ui/Action.svelte';
  import Deck from '$lib/ui/Deck.svelte';
  import JobLine from '$lib/ui/JobLine.svelte';
  import PagedList from '$lib/ui/PagedList.svelte';
  import CompareForm from '$lib/mend/CompareForm.svelte';
  import MendNav from '$lib/mend/MendNav.svelte';
  import PairPane from '$lib/mend/PairPane.svelte';
  import { answer, client, type Job, type Schemas } from '$lib/api/client';
  import { calendarsQuery } from '$lib/api/queries';
  import { attempt } from '$lib/state/attempt';
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
  const shape = { comparison: number(0), verdict: text, month: text, field: text };
  const address = view('/mend/reconcile', shape);
  const asked = $derived(address.read(page.url.searchParams));
  const made = createQuery(() => ({
    queryKey: ['comparisons'],
    queryFn: () => answer(client.GET('/api/comparisons')),
  }));
  const current = $derived(asked.comparison || (made.data?.[0]?.id ?? 0));
  const review = createQuery(() => ({
    queryKey: ['comparison', current],
    queryFn: () => answer(client.GET('/api/comparisons/{number}', { params: { path: { number: current } } })),
    enabled: current > 0,
    retry: false,
  }));
  const told = $derived(review.data?.comparison);
  const day = (years: number) => later(today(), 365 * years);
  const form = $derived({
    left: told?.left_id ?? 0,
    right: told?.right_id ?? 0,
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
    void goto(address.address(page.url.searchParams, changes), { replaceState: true, keepFocus: true, noScroll: true });
  }

  async function compare(wish: { left: number; right: number; first: string; last: string }): Promise<void> {
    await attempt(async () => {
      job = (await answer(client.POST('/api/comparisons', { body: wish }))).job_id;
    });
  }

  async function compared(done: Job): Promise<void> {
    job = null;
    const result = done.result as { comparison?: number } | null;
    if (done.state !== 'done' || !result?.comparison) return notices.say(done.message, 'wrong');
    // Before anything of it is shown: what is chosen from then on stays chosen.
    change({ comparison: String(result.comparison), verdict: '', month: '', field: '' });
    for (const kind of ['comparisons', 'comparison', 'pairs']) void queries.invalidateQueries({ queryKey: [kind] });
  }

  async function adjust(to: Side, pairs: number[] = []): Promise<void> {
    if (!told || !total) return;
    await attempt(async () => {
      const body = {
        to,
        pairs,
        verdict: asked.verdict as Verdict,
        month: asked.month,
        field: asked.field,
      };
      const params = { path: { number: current } };
      adjusting = (await answer(client.POST('/api/comparisons/{number}/adjust', { params, body }))).job_id;
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
      { key: '>', does: 'make the right one as the left one is', aim: 'change', run: () => void adjust('right') },
      { key: '<', does: 'make the left one as the right one is', aim: 'change', run: () => void adjust('left') },
      { key: 'c', does: 'compare once more', aim: 'find', run: again },
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
      oncompare={(wish) => void compare(wish)}
    />{/key}
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
    Choose two calendars that should hold the same: a file and the account it came from, or the old and the new. Every
    entry is paired, and every time of every series is compared; nothing is changed by it.
  </p>
{:else if told && review.data}
  <div class="border-line flex flex-wrap items-baseline gap-x-5 border-b px-4 py-1 text-[13px]">
    <span class="figures">{told.days}</span>
    <span class="figures text-same">= {count(told.same)} times the same</span>
    <span class="figures text-changed">≠ {count(told.changed)} changed</span>
    <span class="figures text-removed">− {count(told.missing)} only left</span>
    <span class="figures text-added">+ {count(told.extra)} only right</span>
    {#if told.outdated}<span class="text-changed"
        >Entries have changed since. <Action onclick={again} key="c">Compare once more</Action></span
      >{/if}
  </div>
  <div class="flex min-h-0 flex-1 max-[900px]:flex-col">
    <div
      class="border-ink w-[290px] shrink-0 overflow-y-auto border-r max-[900px]:max-h-56 max-[900px]:w-full max-[900px]:border-r-0 max-[900px]:border-b"
      role="region"
      aria-label="What differs"
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
      {#if !told.different}<p class="px-4 py-3">No difference is left: the two are the same on these days.</p>{/if}
    </div>
    <div class="flex min-h-0 min-w-0 flex-1 flex-col" role="region" aria-label="Pairs" tabindex="-1" data-part>
      <PagedList
        bind:total
        role="list"
        label="Pairs that differ"
        queryKey={['pairs', current, asked.verdict, asked.month, asked.field]}
        fetchPage={(offset, limit) =>
          answer(
            client.GET('/api/comparisons/{number}/pairs', {
              params: {
                path: { number: current },
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
                  >{one.says}{one.matched ? ` · paired by what it says: ${one.matched}` : ''}</span
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
              <Action onclick={() => void adjust('left', [one.id])} named="◂ Left as the right one: {one.title}"
                >◂</Action
              >
              <Action onclick={() => void adjust('right', [one.id])} named="▸ Right as the left one: {one.title}"
                >▸</Action
              >
            {:else}<span class="text-soft">…</span>{/if}
          </div>
        {/snippet}
        {#snippet empty()}<p class="text-soft p-4">Nothing differs in this way.</p>{/snippet}
      </PagedList>
      {#if adjusting !== null}<div class="px-4 py-2">
          <JobLine id={adjusting} onended={(done) => void adjusted(done)} />
        </div>{/if}
    </div>
  </div>
  {#if told.different}
    <Deck label="Make one as the other is">
      <span class="figures">{counted(total, 'pair', 'pairs')}</span>
      {#snippet actions()}
        <Action onclick={() => void adjust('left')} key="<">Make {told.left} as {told.right}…</Action>
        <Action kind="main" onclick={() => void adjust('right')} key=">">Make {told.right} as {told.left}…</Action>
      {/snippet}
    </Deck>
  {/if}
{:else if review.isError}<p class="text-removed px-4 py-2">{review.error.message}</p>
{:else if current}<p class="text-soft px-4 py-3" role="status">Reading the comparison…</p>{/if}
{#if shown !== null && told}
  <PairPane pair={shown} left={told.left} right={told.right} onclose={() => (shown = null)} />
{/if}
