<script lang="ts">
  import { page } from '$app/state';
  import { useQueryClient } from '@tanstack/svelte-query';
  import { onMount } from 'svelte';
  import Action from '$lib/ui/Action.svelte';
  import JobLine from '$lib/ui/JobLine.svelte';
  import Sheet from '$lib/ui/Sheet.svelte';
  import OwnerMessages from '$lib/cross/OwnerMessages.svelte';
  import { isTakenHere, STEPS, type Step, type StepName } from '$lib/cross/cutover';
  import { answer, client, type Job } from '$lib/api/client';
  import { key, query, refreshAll } from '$lib/api/queries';
  import { attempt, begin } from '$lib/state/attempt.svelte';
  import { walking } from '$lib/state/focus';
  import { keys } from '$lib/state/keys.svelte';
  import { notices } from '$lib/state/notice.svelte';
  import { count, counted, moment } from '$lib/ui/words';

  /** Cutting over: the list of steps from the last run to the end of the old side. */
  const queries = useQueryClient();
  const id = $derived(Number(page.params.id));
  const path = $derived({ crossing_id: id });
  const list = query(() => ({
    queryKey: key('cutover', id),
    queryFn: () => answer(client.GET('/api/crossings/{crossing_id}/cutover', { params: { path } })),
    retry: false,
  }));
  const steps = $derived(list.data?.steps ?? []);
  const done = $derived(steps.filter((one) => one.state === 'done').length);
  const next = $derived(steps.find((one) => one.state === 'open'));
  const changes = $derived((list.data?.since ?? []).reduce((sum, one) => sum + one.changes, 0));
  let asking = $state<StepName | null>(null);
  let telling = $state(false);
  let days = $state(14);
  let job = $state<number | null>(null);

  function press(step: Step): void {
    if (step.step === 'messages') telling = true;
    else if (step.step === 'last-run' || step.step === 'verify') void run(step.step);
    else [asking, days] = [step.step, list.data?.usual_rest ?? 14];
  }

  async function run(step: 'last-run' | 'verify'): Promise<void> {
    const params = { path };
    const body = { lanes: [], delete_many: false };
    await begin(async () => {
      const call =
        step === 'verify'
          ? client.POST('/api/crossings/{crossing_id}/verify', { params, body })
          : client.POST('/api/crossings/{crossing_id}/run', { params, body });
      job = (await answer(call)).job_id;
    });
  }

  async function ended(ending: Job): Promise<void> {
    job = null;
    await refreshAll(queries);
    if (ending.state !== 'done') notices.say(ending.message, 'wrong');
  }

  async function take(step: StepName): Promise<void> {
    asking = null;
    await attempt(async () => {
      const params = { path: { ...path, step } };
      await answer(
        client.POST('/api/crossings/{crossing_id}/cutover/{step}', { params, body: { days, otherwise: false } }),
      );
    });
    await refreshAll(queries);
  }

  async function back(step: StepName): Promise<void> {
    await attempt(async () => {
      await answer(
        client.DELETE('/api/crossings/{crossing_id}/cutover/{step}', { params: { path: { ...path, step } } }),
      );
      notices.say(`${STEPS[step].name}: taken back.`);
    });
    await refreshAll(queries);
  }

  const STATE = { waits: 'waits', open: 'to do', 'under way': 'under way', done: 'done' } as const;
  const BY: Record<string, string> = { person: '', command: ' by a command', clock: ' by the clock' };
  const GLYPH = { waits: '·', open: '○', 'under way': '◐', done: '✓' } as const;

  onMount(() =>
    keys.offer([
      { key: '↑ ↓', does: 'from one button to the next; Enter presses it', aim: 'find' },
      { key: 'n', does: 'the next step', aim: 'change', run: () => void (next && press(next)) },
    ]),
  );
</script>

<svelte:head><title>Cutover · Date Bridge</title></svelte:head>
{#if list.isError}
  <p class="p-6">{list.error.message} <a class="text-brass underline" href="/cross">Back to the crossings</a></p>
{:else if list.data}
  {@const plan = list.data}
  <div class="border-line flex flex-wrap items-baseline gap-x-4 border-b px-4 pt-3 pb-2">
    <h1 class="text-xl font-bold">Cutover of {plan.name}</h1>
    <span class="figures" role="status">{count(done)} of {counted(steps.length, 'step', 'steps')} done</span>
    <span class="ml-auto"><Action href="/cross/{id}">Back to the crossing</Action></span>
  </div>
  <div
    class="min-h-0 flex-1 overflow-y-auto px-4 py-2"
    role="region"
    aria-label="Steps"
    tabindex="-1"
    data-rest
    data-part
    {@attach walking('button, a[href]', undefined, true)}
  >
    {#if changes}
      <p class="border-changed my-2 flex flex-wrap items-center gap-3 border-l-4 pl-3" role="alert">
        <span class="min-w-0 flex-1"
          >{counted(changes, 'change', 'changes')} at the old side since the last run: {plan.since
            .map((one) => `${one.calendar} ${count(one.changes)}`)
            .join(', ')}. They are not at {plan.target} yet.</span
        >
        <Action onclick={() => void run('last-run')} disabled={job !== null}>Carry them</Action>
      </p>
    {/if}
    {#if job !== null}<div class="my-2"><JobLine id={job} onended={(ending) => void ended(ending)} /></div>{/if}
    <ol>
      {#each steps as step, at (step.step)}
        {@const what = STEPS[step.step]}
        <li class="border-line grid grid-cols-[2rem_6.5rem_minmax(0,1fr)_auto] items-start gap-x-3 border-b py-2">
          <span class="figures text-soft text-right">{at + 1}</span>
          <span class={step.state === 'done' ? 'text-added' : step.state === 'waits' ? 'text-soft' : 'text-changed'}
            ><span aria-hidden="true">{GLYPH[step.state]}</span> {STATE[step.state]}</span
          >
          <div class="min-w-0">
            <h2 class="font-bold">{what.name}</h2>
            <p class="text-[13px]">{what.does}</p>
            <p class="text-soft figures text-[12px]">
              {[
                step.why,
                step.at ? `${step.by ? `taken${BY[step.by] ?? ` by ${step.by}`}` : 'last'} ${moment(step.at)}` : '',
                step.sets.length ? counted(step.sets.length, 'batch', 'batches') : '',
                step.back ? `can be taken back ${step.back}` : '',
              ]
                .filter(Boolean)
                .join(' · ')}
            </p>
            {#if step.step === 'shares' && step.state !== 'done' && plan.shares.length}
              <p class="text-[12px]">
                {counted(plan.shares.length, 'share gives', 'shares give')} old calendars: {plan.shares
                  .slice(0, 6)
                  .map((one) => one.title)
                  .join(', ')}{plan.shares.length > 6 ? ', …' : ''}.
              </p>
            {/if}
            {#if step.notes.length}
              <ul class="text-changed list-disc pl-5 text-[12px]">
                {#each step.notes as note (note)}<li>{note}</li>{/each}
              </ul>
            {/if}
            {#if step.step === 'messages' && telling}
              <OwnerMessages crossing={id} mails={plan.mails} onclose={() => (telling = false)} />
            {/if}
          </div>
          <span class="flex gap-2">
            {#if step.back}
              <Action onclick={() => void back(step.step)} named="Take back: {what.name}">Take back</Action>
            {/if}
            {#if step.state === 'open' || (step.step === 'messages' && step.state === 'done')}
              <Action
                kind={step.step === 'retire' ? 'grave' : step === next ? 'main' : 'plain'}
                onclick={() => press(step)}
                disabled={job !== null}
                key={step === next ? 'n' : undefined}>{what.button}</Action
              >
            {/if}
          </span>
        </li>
      {/each}
    </ol>
  </div>
  {#if asking && isTakenHere(asking)}
    {@const step = asking}
    <Sheet label={STEPS[step].name} onclose={() => (asking = null)}>
      <h2 class="mb-2 text-lg font-bold">{STEPS[step].name}</h2>
      <p class="mb-2">{STEPS[step].does}</p>
      {#if step === 'rest'}
        <label class="flex items-center gap-2"
          >For <input type="number" class="field w-24" min="1" max="400" bind:value={days} aria-label="Days" /> days</label
        >
      {:else if step === 'retire'}
        <p class="text-removed">
          Whoever still looks at the old calendars finds them empty. The archives stay in the data folder.
        </p>
      {/if}
      {#snippet actions()}
        <Action kind={step === 'retire' ? 'grave' : 'main'} onclick={() => void take(step)}>{STEPS[step].button}</Action
        >
      {/snippet}
    </Sheet>
  {/if}
{:else}
  <p class="text-soft p-6" role="status">Fetching…</p>
{/if}
