<script lang="ts">
  import { page } from '$app/state';
  import { useQueryClient } from '@tanstack/svelte-query';
  import PagedList from '$lib/ui/PagedList.svelte';
  import TextBanks from '$lib/ui/TextBanks.svelte';
  import Action from '$lib/ui/Action.svelte';
  import Change from '$lib/look/Change.svelte';
  import type { Step } from '$lib/look/steps';
  import { answer, client, type Schemas } from '$lib/api/client';
  import { key, query, refreshTopics } from '$lib/api/queries';
  import { keepInAddress } from '$lib/state/address';
  import { attempt } from '$lib/state/attempt.svelte';
  import { walking } from '$lib/state/focus';
  import { number, text, view, type Changes } from '$lib/state/view';
  import { count, counted, moment } from '$lib/ui/words';

  /** What entries would lose at a target, the worst first; each loss opens to its entries, and these to two banks. */
  type Loss = Schemas['LossOut'];
  const shape = { loss: text, entry: number(0), crossing: number(0) };
  const queries = useQueryClient();
  const id = $derived(Number(page.params.id));
  const address = $derived(view(`/connect/forecasts/${id}`, shape));
  const asked = $derived(address.read(page.url.searchParams));
  const forecast = query(() => ({
    queryKey: key('forecast', id),
    queryFn: () => answer(client.GET('/api/forecasts/{forecast_id}', { params: { path: { forecast_id: id } } })),
    retry: false,
  }));
  const mark = (loss: Loss) => `${loss.feature} ${loss.verdict}`;
  const losses = $derived(forecast.data?.losses ?? []);
  const open = $derived(losses.find((one) => mark(one) === asked.loss) ?? losses[0]);
  const banks = query(() => ({
    queryKey: key('forecast-losses', id, asked.entry),
    queryFn: () =>
      answer(
        client.GET('/api/forecasts/{forecast_id}/entries/{entry_id}', {
          params: { path: { forecast_id: id, entry_id: asked.entry } },
        }),
      ),
    enabled: asked.entry > 0,
    retry: false,
  }));
  const INK: Record<string, string> = { breaks: 'text-removed', alters: 'text-changed', untidy: 'text-same' };
  const GLYPH: Record<string, string> = { rewritten: '≠', dropped: '−', refused: '×' };
  const VERB: Record<string, string> = { rewritten: 'rewrites it in', dropped: 'drops it from', refused: 'refuses' };

  function change(changes: Changes<typeof shape>): void {
    void keepInAddress(address.address(page.url.searchParams, changes));
  }

  /** The crossing this was foretold for: there the ways out are taken on the way, and nothing is changed at the source. */
  const crossing = query(() => ({
    queryKey: key('crossing', asked.crossing),
    queryFn: () =>
      answer(client.GET('/api/crossings/{crossing_id}', { params: { path: { crossing_id: asked.crossing } } })),
    enabled: asked.crossing > 0,
  }));
  const chosen = $derived((crossing.data?.options.remedies ?? {}) as Record<string, unknown[]>);
  const isChosen = (loss: Loss, remedy: Schemas['RemedyOut']) =>
    JSON.stringify(chosen[loss.feature] ?? []) === JSON.stringify(remedy.steps);
  async function choose(loss: Loss, steps: Schemas['RemedyOut']['steps']): Promise<void> {
    const plan = crossing.data;
    if (!plan) return;
    const { [loss.feature]: _, ...others } = chosen;
    const remedies = steps.length ? { ...others, [loss.feature]: steps } : others;
    const params = { path: { crossing_id: plan.id } };
    const body = { options: { ...plan.options, remedies: remedies as Record<string, Record<string, unknown>[]> } };
    await attempt(() => answer(client.PATCH('/api/crossings/{crossing_id}', { params, body })));
    await refreshTopics(queries, ['crossings']);
  }

  /** The change that is open: what is to be done to the entries that lose something. */
  let changing = $state<{ selection: Schemas['SelectionIn']; steps: Step[] } | null>(null);
  async function remedyFor(loss: Loss, remedy: Schemas['RemedyOut']): Promise<void> {
    const params = { path: { forecast_id: id }, query: { feature: loss.feature, verdict: loss.verdict } };
    await attempt(async () => {
      const selection = await answer(client.GET('/api/forecasts/{forecast_id}/selection', { params }));
      changing = { selection, steps: remedy.steps };
    });
  }
</script>

<svelte:head><title>Losses at {forecast.data?.target ?? '…'} · Date Bridge</title></svelte:head>
{#if forecast.isError}
  <p class="p-6">{forecast.error.message} <a class="text-brass underline" href="/connect">Back to the accounts</a></p>
{:else if forecast.data}
  {@const all = forecast.data}
  <div class="border-line flex flex-wrap items-baseline gap-x-4 border-b px-4 pt-3 pb-2">
    <h1 class="text-xl font-bold">Losses at {all.target}</h1>
    <span class="figures" role="status"
      >{count(all.entries - all.whole)} of {counted(all.entries, 'entry', 'entries')} lose something, {count(all.whole)} arrive
      whole</span
    >
    <span class="text-soft text-[13px]">as measured {moment(all.measured_at)}</span>
    {#if asked.crossing}
      <span class="ml-auto"><Action href="/cross/{asked.crossing}">Back to the crossing</Action></span>
    {:else if all.account_id}
      <span class="ml-auto"><Action href="/connect/keeps/{all.account_id}">What {all.target} keeps</Action></span>
    {/if}
  </div>
  {#if !losses.length}
    <p class="p-6">Every entry arrives at {all.target} as it is.</p>
  {:else}
    <div class="flex min-h-0 flex-1 max-[900px]:flex-col">
      <div
        class="border-ink w-[34%] shrink-0 overflow-y-auto border-r max-[900px]:max-h-56 max-[900px]:w-full"
        role="region"
        aria-label="Losses"
        tabindex="-1"
        data-rest
        data-part
        {@attach walking('button')}
      >
        <ul>
          {#each losses as one (mark(one))}
            <li>
              <button
                class="border-line flex w-full items-center gap-3 border-b px-4 py-1 text-left text-[13px] {open === one
                  ? 'bg-picked font-bold'
                  : 'hover:bg-shade'}"
                aria-current={open === one ? 'true' : undefined}
                onclick={() => change({ loss: mark(one), entry: '' })}
              >
                <span class="w-14 {INK[one.harm]}">{one.harm}</span>
                <span class="min-w-0 flex-1">{one.words}</span>
                <span class="w-20 font-normal">{GLYPH[one.verdict]} {one.verdict}</span>
                <span class="figures w-12 text-right">{count(one.entries)}</span>
              </button>
            </li>
          {/each}
        </ul>
      </div>
      {#if open}
        <div class="flex min-h-0 min-w-0 flex-1 flex-col" role="region" aria-label="The loss" tabindex="-1" data-part>
          <div class="border-line border-b px-4 py-2">
            <h2 class="text-lg leading-6 font-bold">
              {open.words}: {all.target}
              {VERB[open.verdict]}
              {counted(open.entries, 'entry', 'entries')}
            </h2>
            {#if asked.crossing && crossing.data}
              <fieldset class="mt-1 flex flex-wrap items-center gap-x-5 gap-y-1 text-[13px]">
                <legend class="font-bold">On the way</legend>
                {#each [...open.remedies, { words: 'Accept the loss', steps: [] }] as way (way.words)}
                  <label class="flex gap-2"
                    ><input
                      type="radio"
                      name="way-{mark(open)}"
                      class="accent-brass"
                      checked={isChosen(open, way)}
                      onchange={() => void choose(open, [...way.steps])}
                    />{way.words}</label
                  >
                {/each}
              </fieldset>
            {:else if open.remedies.length && all.file_id}
              <p class="mt-1 text-[13px]">
                Ways out once the file is imported: {open.remedies.map((one) => one.words).join(' · ')}.
                <a class="text-brass underline" href="/connect/{all.file_id}">Review the file</a>
              </p>
            {:else if open.remedies.length}
              <p class="mt-1 flex flex-wrap items-center gap-2">
                {#each open.remedies as remedy (remedy.words)}
                  <Action
                    onclick={() => void remedyFor(open, remedy)}
                    hint="Makes a proposal to change {counted(
                      open.entries,
                      'entry',
                      'entries',
                    )}; nothing is changed yet">{remedy.words}…</Action
                  >
                {/each}
              </p>
            {/if}
            <p class="text-soft text-[13px]">
              {open.calendars.map((one) => `${one.calendar} ${count(one.entries)}`).join(' · ')}
            </p>
          </div>
          <PagedList
            role="list"
            label="Entries"
            queryKey={['forecast-losses', id, open.feature, open.verdict]}
            fetchPage={(offset, limit) =>
              answer(
                client.GET('/api/forecasts/{forecast_id}/entries', {
                  params: {
                    path: { forecast_id: id },
                    query: { feature: open.feature, verdict: open.verdict, offset, limit },
                  },
                }),
              )}
            rowHeight={30}
          >
            {#snippet row(one, _at)}
              <div role="listitem" class="border-line h-full border-b text-[13px]">
                {#if one}
                  <button
                    class="flex h-full w-full items-center gap-3 px-4 text-left {asked.entry === one.id
                      ? 'bg-picked font-bold'
                      : 'hover:bg-shade'}"
                    aria-current={asked.entry === one.id ? 'true' : undefined}
                    onclick={() => change({ entry: String(one.id) })}
                  >
                    <span class="min-w-0 flex-1 truncate" title={one.title}>{one.title}</span>
                    <span class="text-soft max-w-64 truncate" title={one.reason}>{one.reason}</span>
                    <span class="text-soft max-w-48 truncate">{one.calendar}</span>
                  </button>
                {:else}<span class="text-soft px-4">…</span>{/if}
              </div>
            {/snippet}
            {#snippet empty()}<p class="text-soft p-4">No entries.</p>{/snippet}
          </PagedList>
          {#if asked.entry && banks.data}
            <TextBanks
              left={banks.data.left}
              right={banks.data.right}
              names={['As it is', 'As it will arrive']}
              more={banks.data.certain ? '' : ', as far as can be foretold'}
              missing="It does not arrive."
              wrong={banks.data.refused ? `Refused: ${banks.data.refused}` : ''}
            />
          {:else if asked.entry && banks.isError}
            <p class="text-removed border-ink border-t-2 p-3">{banks.error.message}</p>
          {/if}
        </div>
      {/if}
    </div>
  {/if}
{:else}
  <p class="text-soft p-6" role="status">Fetching…</p>
{/if}

{#if changing}
  <Change
    selection={changing.selection}
    chosen={changing.selection.only?.length ?? 0}
    steps={changing.steps}
    onclose={() => (changing = null)}
  />
{/if}
