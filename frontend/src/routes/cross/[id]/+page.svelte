<script lang="ts">
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { useQueryClient } from '@tanstack/svelte-query';
  import { onMount } from 'svelte';
  import Action from '$lib/ui/Action.svelte';
  import Deck from '$lib/ui/Deck.svelte';
  import JobLine from '$lib/ui/JobLine.svelte';
  import Input from '$lib/ui/Input.svelte';
  import Consequences from '$lib/cross/Consequences.svelte';
  import AsFiles from '$lib/cross/AsFiles.svelte';
  import LaneRow from '$lib/cross/LaneRow.svelte';
  import LaneSheet from '$lib/cross/LaneSheet.svelte';
  import LanePane from '$lib/cross/LanePane.svelte';
  import Options from '$lib/cross/Options.svelte';
  import TargetSheet from '$lib/cross/TargetSheet.svelte';
  import { optionWords, verifiedNow, type Lane, type Options as Wanted } from '$lib/cross/words';
  import { answer, client, type Job, type Schemas } from '$lib/api/client';
  import { key, query, refreshAll } from '$lib/api/queries';
  import { keepInAddress } from '$lib/state/address';
  import { attempt, begin } from '$lib/state/attempt.svelte';
  import { walking } from '$lib/state/focus';
  import { keys } from '$lib/state/keys.svelte';
  import { notices } from '$lib/state/notice.svelte';
  import { number, text, view, type Changes } from '$lib/state/view';
  import { count, counted, moment } from '$lib/ui/words';

  /** A crossing: its lanes in one table, what a run would carry, how far it is, and what is proved. */
  const shape = { words: text, lane: number(0) };
  const queries = useQueryClient();
  const id = $derived(Number(page.params.id));
  const path = $derived({ crossing_id: id });
  const address = $derived(view(`/cross/${id}`, shape));
  const asked = $derived(address.read(page.url.searchParams));
  const crossing = query(() => ({
    queryKey: key('crossing', id),
    queryFn: () => answer(client.GET('/api/crossings/{crossing_id}', { params: { path } })),
    retry: false,
  }));
  const lanes = $derived(crossing.data?.lanes ?? []);
  const shown = $derived(
    lanes.filter((one) =>
      `${one.source_account} ${one.source} ${one.target} ${one.owner}`
        .toLowerCase()
        .includes(asked.words.toLowerCase()),
    ),
  );
  const going = $derived(lanes.filter((one) => one.going));
  const open = $derived(lanes.find((one) => one.id === asked.lane));
  let chosen = $state<number[]>([]);
  const picked = $derived(shown.filter((one) => chosen.includes(one.id)));
  let job = $state<number | null>(null);
  let asking = $state<'' | 'options' | 'lane-options' | 'target' | 'run' | 'run-some' | 'back' | 'files' | 'forget'>(
    '',
  );
  let unreadable = $state<Schemas['UnreadableOut'][]>([]);
  const total = (of: (lane: Lane) => number) => going.reduce((sum, one) => sum + of(one), 0);
  /** What comes next: rehearsing, running, then verifying. */
  const next = $derived(
    going.some((one) => one.ran_at)
      ? going.every((one) => one.ran_at) && !going.every(verifiedNow)
        ? 'verify'
        : 'run'
      : going.some((one) => one.proposal)
        ? 'run'
        : 'rehearse',
  );
  /** What a rehearsed run asks of the target, and how long that takes at the rate of the sample. */
  const takes = $derived.by(() => {
    const requests = total((one) => one.would_change);
    const sample = crossing.data?.sample;
    if (!requests) return '';
    const seconds = sample?.requests ? (requests * sample.seconds) / sample.requests : 0;
    const time = seconds ? `, ${seconds < 90 ? `${Math.ceil(seconds)} s` : `${Math.ceil(seconds / 60)} min`}` : '';
    return `a run takes about ${counted(requests, 'request', 'requests')}${time}`;
  });
  const says = $derived.by(() => {
    const verified = going.filter(verifiedNow).length;
    return [
      `${counted(going.length, 'lane', 'lanes')}, ${counted(
        total((one) => one.entries),
        'entry',
        'entries',
      )}`,
      `${count(going.filter((one) => one.ran_at).length)} carried`,
      total((one) => one.on_the_way) ? `${count(total((one) => one.on_the_way))} on the way` : '',
      takes ? takes : '',
      total((one) => one.refused) ? `${count(total((one) => one.refused))} refused` : '',
      verified ? `${count(verified)} verified` : '',
      total((one) => one.unexplained) ? `${count(total((one) => one.unexplained))} unexplained` : '',
    ]
      .filter(Boolean)
      .join(' · ');
  });

  function change(changes: Changes<typeof shape>): void {
    void keepInAddress(address.address(page.url.searchParams, changes));
  }

  type Deed = 'rehearse' | 'sample' | 'losses' | 'run' | 'verify' | 'send-back';
  let doing: Deed = 'run';
  async function act(deed: Deed, of: Lane[] = [], delete_many = false): Promise<void> {
    asking = '';
    doing = deed;
    const body = { lanes: of.map((one) => one.id), delete_many };
    const params = { path };
    await begin(async () => {
      const call =
        deed === 'rehearse'
          ? client.POST('/api/crossings/{crossing_id}/rehearse', { params })
          : deed === 'sample'
            ? client.POST('/api/crossings/{crossing_id}/sample', { params })
            : deed === 'losses'
              ? client.POST('/api/crossings/{crossing_id}/forecast', { params })
              : deed === 'run'
                ? client.POST('/api/crossings/{crossing_id}/run', { params, body })
                : deed === 'verify'
                  ? client.POST('/api/crossings/{crossing_id}/verify', { params, body })
                  : client.POST('/api/crossings/{crossing_id}/send-back', { params, body });
      job = (await answer<Schemas['JobQueued']>(call)).job_id;
    });
  }

  async function ended(done: Job): Promise<void> {
    await refreshAll(queries);
    job = null;
    if (done.state !== 'done') return notices.say(done.message, 'wrong');
    const { trouble = 0, unexplained = 0 } = (done.result ?? {}) as { trouble?: number; unexplained?: number };
    const not = trouble ? ` ${counted(trouble, 'lane was', 'lanes were')} not: each says why.` : '';
    const { entries: tried = 0, otherwise = 0 } = (done.result ?? {}) as { entries?: number; otherwise?: number };
    const { forecast } = (done.result ?? {}) as { forecast?: number };
    if (forecast) return void goto(`/connect/forecasts/${forecast}?crossing=${id}`);
    const SAYS: Record<Exclude<Deed, 'losses'>, string> = {
      sample: `${counted(tried, 'entry was', 'entries were')} written, read back and removed: ${
        otherwise ? `${count(otherwise)} came back otherwise than foretold.` : 'all came back as foretold.'
      }`,
      rehearse: `Rehearsed: nothing was carried.${not}`,
      run: `Carried: the batches are on their way to ${crossing.data?.target ?? 'the target'}.${not}`,
      verify: unexplained
        ? `Verified: ${counted(unexplained, 'difference is', 'differences are')} unexplained.`
        : 'Verified: every difference is explained.',
      'send-back': 'Sent back.',
    };
    if (doing !== 'losses') notices.say(SAYS[doing], trouble || unexplained ? 'wrong' : undefined);
  }

  async function alter(body: Omit<Schemas['LaneChangeIn'], 'lanes'>): Promise<void> {
    asking = '';
    const wanted = { ...body, lanes: picked.map((one) => one.id) };
    await attempt(() => answer(client.PATCH('/api/crossings/{crossing_id}/lanes', { params: { path }, body: wanted })));
    await refreshAll(queries);
  }

  async function setOptions(options: Wanted): Promise<void> {
    asking = '';
    await attempt(() => answer(client.PATCH('/api/crossings/{crossing_id}', { params: { path }, body: { options } })));
    await refreshAll(queries);
  }

  async function forget(): Promise<void> {
    await attempt(async () => {
      await answer(client.DELETE('/api/crossings/{crossing_id}', { params: { path } }));
      await refreshAll(queries);
      await goto('/cross');
    });
  }

  function turn(lane: Lane, on: boolean): void {
    chosen = on ? [...chosen, lane.id] : chosen.filter((one) => one !== lane.id);
  }

  onMount(() =>
    keys.offer([
      { key: '↑ ↓', does: 'from one lane to the next; Enter opens it, Space chooses it', aim: 'find' },
      { key: 'a', does: 'choose all lanes that are shown, or none', aim: 'find', run: all },
      {
        key: 'r',
        does: 'rehearse: propose everything that would be carried',
        aim: 'change',
        run: () => void act('rehearse'),
      },
      { key: 's', does: 'try a sample at the target', aim: 'change', run: () => void act('sample') },
      { key: 'l', does: 'what is lost, and ways out', aim: 'find', run: () => void act('losses') },
      { key: 'g', does: 'run: carry what is new, changed or gone', aim: 'change', run: () => (asking = 'run') },
      { key: 'v', does: 'verify: compare both ends', aim: 'change', run: () => void act('verify') },
      { key: 'o', does: 'what happens on the way', aim: 'change', run: () => (asking = 'options') },
      { key: 'e', does: 'the differences found', aim: 'find', run: () => void goto(`/cross/${id}/differences`) },
      { key: 'c', does: 'the cutover list', aim: 'find', run: () => void goto(`/cross/${id}/cutover`) },
      { key: 'd', does: 'what waits for a decision', aim: 'find', run: () => void goto(`/cross/${id}/decisions`) },
    ]),
  );

  function all(): void {
    chosen = picked.length === shown.length ? [] : shown.map((one) => one.id);
  }
</script>

<svelte:head><title>{crossing.data?.name ?? 'Crossing'} · Date Bridge</title></svelte:head>
{#if crossing.isError}
  <p class="p-6">{crossing.error.message} <a class="text-brass underline" href="/cross">Back to the crossings</a></p>
{:else if crossing.data}
  {@const plan = crossing.data}
  <div class="border-line border-b px-4 pt-3 pb-2">
    <div class="flex flex-wrap items-baseline gap-x-4 gap-y-2">
      <h1 class="text-xl font-bold">{plan.name}</h1>
      <span class="figures" role="status">{says}</span>
      <span class="ml-auto flex flex-wrap items-center gap-2">
        <Action
          kind={next === 'rehearse' ? 'main' : 'plain'}
          onclick={() => void act('rehearse')}
          key="r"
          disabled={job !== null || !going.length}>Rehearse</Action
        >
        {#if plan.account_id}
          <Action
            onclick={() => void act('sample')}
            key="s"
            hint="Write some entries into a calendar of their own at {plan.target}, read them back, and remove them"
            disabled={job !== null || !going.length}>Sample</Action
          >
        {/if}
        <Action
          kind={next === 'run' ? 'main' : 'plain'}
          onclick={() => (asking = 'run')}
          key="g"
          disabled={job !== null || !going.length}>{going.some((one) => one.ran_at) ? 'Run again' : 'Run'}…</Action
        >
        <Action
          kind={next === 'verify' ? 'main' : 'plain'}
          onclick={() => void act('verify')}
          key="v"
          disabled={job !== null || !going.some((one) => one.ran_at)}>Verify</Action
        >
      </span>
    </div>
    {#if job !== null}<div class="my-2"><JobLine id={job} onended={(done) => void ended(done)} /></div>{/if}
    <p class="mt-1 flex flex-wrap items-center gap-x-4 gap-y-1 text-[13px]">
      <span
        >To {plan.target}: {optionWords(plan.options).join('; ') || 'everything, as it is'}{plan.steps.length
          ? ` (${plan.steps.join('; ')})`
          : ''}.</span
      >
      <button class="text-brass underline" onclick={() => (asking = 'options')} aria-keyshortcuts="o"
        >What happens on the way…</button
      >
      {#if plan.account_id}
        <a class="text-brass underline" href="/connect/keeps/{plan.account_id}"
          >{plan.measured_at
            ? `What ${plan.target} keeps was measured ${moment(plan.measured_at)}`
            : `What ${plan.target} keeps has not been measured: losses cannot be foretold`}</a
        >
      {/if}
    </p>
    <p class="mt-1 flex flex-wrap items-center gap-x-4 text-[13px]">
      <a class="text-brass underline {plan.decisions ? 'font-bold' : ''}" href="/cross/{id}/decisions"
        >{plan.decisions ? counted(plan.decisions, 'decision waits', 'decisions wait') : 'No decision waits'}</a
      >
      <a class="text-brass underline" href="/cross/{id}/differences">Differences found</a>
      <a class="text-brass underline" href="/cross/{id}/cutover">Cutover list</a>
      {#if plan.measured_at && going.length}
        <button class="text-brass underline" onclick={() => void act('losses')} aria-keyshortcuts="l"
          >Losses and ways out…</button
        >
      {/if}
      {#if plan.sample.at}
        <a class="text-brass underline {plan.sample.otherwise.length ? 'font-bold' : ''}" href="/cross/{id}/sample"
          >Sample: {plan.sample.otherwise.length
            ? `${count(plan.sample.otherwise.length)} otherwise than foretold`
            : `all ${count(plan.sample.entries)} as foretold`}</a
        >
      {/if}
      <a class="text-brass underline" href="/api/crossings/{id}/report" download data-sveltekit-reload>Signed report</a>
      <LaneSheet crossing={id} onunreadable={(rows) => (unreadable = rows)} />
      <button class="text-brass underline" onclick={() => (asking = 'files')}>As files…</button>
      <button class="text-brass underline" onclick={() => (asking = 'forget')}>Drop this plan…</button>
      <label class="ml-auto flex items-center gap-2"
        >Find <Input
          value={asked.words}
          class="w-44"
          aria-label="Find lanes"
          oninput={(event) => change({ words: event.currentTarget.value })}
        /></label
      >
    </p>
    {#if unreadable.length}
      <div class="border-removed mt-2 border-l-4 pl-3" role="alert">
        <p class="font-bold">The sheet was not used:</p>
        <ul class="max-h-28 overflow-y-auto text-[13px]">
          {#each unreadable as one (`${one.row} ${one.column}`)}<li>Row {one.row}, {one.column}: {one.why}</li>{/each}
        </ul>
      </div>
    {/if}
  </div>
  <div
    class="min-h-0 flex-1 overflow-y-auto"
    role="region"
    aria-label="Lanes"
    tabindex="-1"
    data-rest
    data-part
    {@attach walking('button[data-lane]')}
  >
    <table class="w-full table-fixed border-collapse text-[13px]">
      <thead class="bg-sheet sticky top-0 z-10">
        <tr class="border-ink text-soft border-b text-left">
          <th class="w-9 pl-4"
            ><input
              type="checkbox"
              class="accent-brass"
              aria-label="Choose all lanes"
              checked={shown.length > 0 && picked.length === shown.length}
              onchange={all}
            /></th
          >
          <th class="w-[24%] pl-2 font-medium">From</th>
          <th class="w-16 text-right font-medium">entries</th>
          <th class="w-16 px-2 text-right font-medium">series</th>
          <th class="w-32 font-medium">span</th>
          <th class="w-6"><span class="sr-only">goes</span></th>
          <th class="w-[24%] font-medium">To</th>
          <th class="w-14 text-right font-medium">there</th>
          <th class="px-3 font-medium">otherwise</th>
          <th class="w-36 pr-4 font-medium">now</th>
        </tr>
      </thead>
      <tbody>
        {#each shown as lane (lane.id)}
          <LaneRow
            {lane}
            chosen={chosen.includes(lane.id)}
            open={open?.id === lane.id}
            onchoose={(on) => turn(lane, on)}
            onopen={() => change({ lane: open?.id === lane.id ? '' : String(lane.id) })}
          />
        {:else}
          <tr
            ><td colspan="10" class="text-soft p-4">{lanes.length ? 'No lane matches.' : 'No lanes are planned.'}</td
            ></tr
          >
        {/each}
      </tbody>
    </table>
  </div>
  {#if open}<LanePane crossing={id} lane={open} />{/if}
  {#if picked.length}
    <Deck label="Chosen lanes">
      <span class="figures"
        >{counted(picked.length, 'lane', 'lanes')} chosen, {counted(
          picked.reduce((sum, one) => sum + one.entries, 0),
          'entry',
          'entries',
        )}</span
      >
      {#snippet actions()}
        <Action onclick={() => (asking = 'target')}>Lead elsewhere…</Action>
        <Action onclick={() => (asking = 'lane-options')}>Otherwise on the way…</Action>
        {#if picked.some((one) => one.going)}<Action onclick={() => void alter({ going: false })}>Leave out</Action
          >{/if}
        {#if picked.some((one) => !one.going)}<Action onclick={() => void alter({ going: true })}>Let go</Action>{/if}
        <Action onclick={() => void act('verify', picked)} disabled={!picked.some((one) => one.ran_at)}
          >Verify {counted(picked.length, 'lane', 'lanes')}</Action
        >
        <Action kind="grave" onclick={() => (asking = 'back')} disabled={!picked.some((one) => one.batches.length)}
          >Send back…</Action
        >
        <Action kind="main" onclick={() => (asking = 'run-some')} disabled={job !== null}
          >Carry {counted(picked.length, 'lane', 'lanes')}…</Action
        >
      {/snippet}
    </Deck>
  {/if}
  {#if asking === 'options'}
    <Options
      options={plan.options}
      lanes={0}
      onclose={() => (asking = '')}
      onsave={(options) => void setOptions(options)}
    />
  {:else if asking === 'lane-options'}
    <Options
      options={{ ...plan.options, ...picked[0]?.options }}
      lanes={picked.length}
      filter={picked[0]?.filter}
      onclose={() => (asking = '')}
      onsave={(options, filter) => void alter({ options, filter })}
    />
  {:else if asking === 'target'}
    <TargetSheet
      account={plan.account_id}
      lanes={picked}
      onclose={() => (asking = '')}
      onsave={(body) => void alter(body)}
    />
  {:else if asking === 'files'}
    <AsFiles crossing={id} onclose={() => (asking = '')} />
  {:else if asking === 'run' || asking === 'run-some' || asking === 'back' || asking === 'forget'}
    <Consequences
      {plan}
      deed={asking}
      lanes={asking === 'run' ? going : picked}
      onclose={() => (asking = '')}
      onrun={(lanes) => void act('run', lanes)}
      onback={(lanes) => void act('send-back', lanes)}
      onforget={() => void forget()}
    />
  {/if}
{:else}
  <p class="text-soft p-6" role="status">Fetching…</p>
{/if}
