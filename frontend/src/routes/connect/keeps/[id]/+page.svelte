<script lang="ts">
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { useQueryClient } from '@tanstack/svelte-query';
  import { onMount } from 'svelte';
  import Action from '$lib/ui/Action.svelte';
  import Input from '$lib/ui/Input.svelte';
  import JobLine from '$lib/ui/JobLine.svelte';
  import FeatureRow from '$lib/connect/FeatureRow.svelte';
  import { answer, client, type Job } from '$lib/api/client';
  import { accountsQuery, key, query, refreshTopics } from '$lib/api/queries';
  import { keepInAddress } from '$lib/state/address';
  import { attempt, begin } from '$lib/state/attempt.svelte';
  import { keys } from '$lib/state/keys.svelte';
  import { notices } from '$lib/state/notice.svelte';
  import { choice, number, text, view, type Changes } from '$lib/state/view';
  import { count, counted, moment } from '$lib/ui/words';

  /** What an account keeps of what it is given, as measured: every feature in two banks, beside another target. */
  const VERDICTS = ['lost', '', 'kept', 'rewritten', 'dropped', 'refused', 'not tried'] as const;
  const NAMES = { lost: 'everything that is not kept', '': 'all features' } as Record<string, string>;
  const shape = { verdict: choice(VERDICTS, 'lost'), words: text, beside: number(0), matrix: number(0) };
  const queries = useQueryClient();
  /** The account; 0 for a system that was measured by a file, which is known by its matrix. */
  const id = $derived(Number(page.params.id) || 0);
  const address = $derived(view(`/connect/keeps/${page.params.id}`, shape));
  const asked = $derived(address.read(page.url.searchParams));
  const accounts = accountsQuery();
  const account = $derived(accounts.data?.find((one) => one.id === id));
  const measured = query(() => ({
    queryKey: key('fidelity', id, asked.matrix),
    queryFn: () =>
      id
        ? answer(client.GET('/api/accounts/{account_id}/fidelity', { params: { path: { account_id: id } } }))
        : answer(client.GET('/api/matrices/{matrix_id}', { params: { path: { matrix_id: asked.matrix } } })),
    retry: false,
  }));
  const name = $derived(account?.name ?? measured.data?.name ?? 'this account');
  const targets = query(() => ({
    queryKey: key('fidelity', 'all'),
    queryFn: () => answer(client.GET('/api/matrices')),
  }));
  const other = query(() => ({
    queryKey: key('fidelity', 'beside', asked.beside),
    queryFn: () => answer(client.GET('/api/matrices/{matrix_id}', { params: { path: { matrix_id: asked.beside } } })),
    enabled: asked.beside > 0,
  }));
  const beside = $derived(new Map(asked.beside ? (other.data?.features ?? []).map((one) => [one.feature, one]) : []));
  const found = $derived(
    (measured.data?.features ?? []).filter((one) => {
      const there = beside.get(one.feature);
      const lost = one.verdict !== 'kept' || (there !== undefined && there.verdict !== 'kept');
      const wanted = asked.verdict === 'lost' ? lost : !asked.verdict || one.verdict === asked.verdict;
      return wanted && `${one.words} ${one.feature}`.toLowerCase().includes(asked.words.toLowerCase());
    }),
  );
  const groups = $derived(
    [...new Set(found.map((one) => one.group))].map((group) => ({
      name: group,
      rows: found.filter((one) => one.group === group),
    })),
  );
  const tally = $derived(
    VERDICTS.slice(2)
      .map((one) => [one, measured.data?.counts[one as 'kept'] ?? 0] as const)
      .filter(([, number]) => number)
      .map(([one, number]) => `${count(number)} ${one}`)
      .join(', '),
  );
  const others = $derived((targets.data ?? []).filter((one) => one.id !== measured.data?.id));
  let job = $state<number | null>(null);
  let place = $state(0);
  let filter = $state('');
  /** Whose losses are foretold: those of a waiting file, or with 0 of entries that are here. */
  let file = $state(0);
  const files = query(() => ({ queryKey: key('imports'), queryFn: () => answer(client.GET('/api/imports')) }));
  const waiting = $derived((files.data ?? []).filter((one) => one.state === 'waiting'));

  function change(changes: Changes<typeof shape>): void {
    void keepInAddress(address.address(page.url.searchParams, changes));
  }

  async function measure(): Promise<void> {
    const params = { path: { account_id: id } };
    const body = { remote_id: place || null };
    await begin(async () => {
      job = (await answer(client.POST('/api/accounts/{account_id}/measure', { params, body }))).job_id;
    });
  }

  async function foretell(): Promise<void> {
    const body = { account_id: id, chosen: { filter, excluded: [], only: null }, file: file || null };
    await attempt(async () => {
      job = (await answer(client.POST('/api/forecasts', { body }))).job_id;
    });
  }

  async function ended(done: Job): Promise<void> {
    job = null;
    const result = done.result as { forecast?: number; left?: string };
    if (done.state !== 'done') notices.say(done.message, 'wrong');
    else if (result.forecast) return void goto(`/connect/forecasts/${result.forecast}`);
    else if (result.left) notices.say(`Measured. What was written there could not be deleted: ${result.left}`, 'wrong');
    await refreshTopics(queries, ['fidelity', 'accounts']);
  }

  onMount(() =>
    keys.offer([
      { key: 'm', does: 'measure what the account keeps', aim: 'change', run: () => void (id && measure()) },
      {
        key: 'f',
        does: 'foretell what entries would lose there',
        aim: 'change',
        run: () => void (id && measured.data && foretell()),
      },
    ]),
  );
</script>

<svelte:head><title>What {name} keeps · Date Bridge</title></svelte:head>
<div class="border-line border-b px-4 pt-3 pb-2">
  <div class="flex flex-wrap items-baseline gap-x-4 gap-y-2">
    <h1 class="text-xl font-bold">What {name} keeps</h1>
    {#if measured.data}
      <span class="text-soft figures text-[13px]" role="status"
        >measured {moment(measured.data.at)}{measured.data.before_at
          ? `, before that ${moment(measured.data.before_at)}`
          : ''} · {tally} of {counted(measured.data.features.length, 'feature', 'features')} · {counted(
          measured.data.requests,
          'request',
          'requests',
        )}</span
      >
    {/if}
    {#if id}<span class="ml-auto flex items-center gap-2">
        <label class="text-soft flex items-center gap-2 text-[13px]"
          >in
          <select class="field-small max-w-60" aria-label="Where to measure" bind:value={place}>
            <option value={0}>a calendar made for it</option>
            {#each (account?.remotes ?? []).filter((one) => one.may === 'writable') as one (one.id)}
              <option value={one.id}>{one.name}</option>
            {/each}
          </select></label
        >
        <Action kind={measured.data ? 'plain' : 'main'} onclick={() => void measure()} key="m" disabled={job !== null}
          >{measured.data ? 'Measure again' : `Measure what ${name} keeps`}</Action
        >
      </span>{/if}
  </div>
  {#if job !== null}<div class="my-2"><JobLine id={job} onended={(done) => void ended(done)} /></div>{/if}
  {#if measured.data}
    {@const one = measured.data}
    <p class="mt-1 max-w-[120ch] text-[13px]">
      {#if one.does.length}It {one.does.join(' · ')}.{:else}It keeps everything that was tried.{/if}
      {#if one.unexplained.length}
        <strong class="text-changed">Comes back in a way that cannot be foretold: {one.unexplained.join(', ')}.</strong>
      {/if}
    </p>
    {#if id}<form
        class="mt-2 flex flex-wrap items-center gap-3"
        onsubmit={(event) => {
          event.preventDefault();
          void foretell();
        }}
      >
        {#if waiting.length}
          <select class="field-small max-w-56" aria-label="Whose losses" bind:value={file}>
            <option value={0}>Entries that are here</option>
            {#each waiting as one (one.id)}<option value={one.id}>The file {one.name}</option>{/each}
          </select>
        {/if}
        {#if file}<span class="flex-1"></span>{:else}
          <label class="flex min-w-64 flex-1 items-center gap-2"
            >Entries <Input
              bind:value={filter}
              placeholder="all entries, or a filter such as calendar:Berths has:alarms"
              class="min-w-0 flex-1"
            /></label
          >{/if}
        <Action kind="main" submit key="f" disabled={job !== null}>Foretell their losses at {name}</Action>
      </form>{/if}
  {/if}
</div>
{#if measured.isError}
  <p class="text-removed p-4">{measured.error.message}</p>
{:else if measured.data === null}
  <div class="max-w-[80ch] p-6">
    <p>
      What {name} keeps has not been measured yet. Measuring writes some {count(170)} entries with one feature each into a
      calendar made for it, reads them back, compares them line by line, and deletes them and the calendar again.
    </p>
    <p class="mt-2">
      Nobody is invited, and no other calendar is touched. How long it takes depends on how quickly {name} answers.
    </p>
  </div>
{:else if measured.data}
  <div class="border-line flex flex-wrap items-center gap-x-5 gap-y-2 border-b px-4 py-2 text-[13px]">
    <label class="flex items-center gap-2"
      >Show
      <select
        class="field-small"
        aria-label="Verdict"
        value={asked.verdict}
        onchange={(event) => change({ verdict: event.currentTarget.value || 'all' })}
      >
        {#each VERDICTS as one (one)}<option value={one}>{NAMES[one] ?? one}</option>{/each}
      </select></label
    >
    <label class="flex items-center gap-2"
      >with
      <input
        class="field-small w-44"
        aria-label="Feature"
        placeholder="words of a feature"
        value={asked.words}
        oninput={(event) => change({ words: event.currentTarget.value })}
      /></label
    >
    {#if others.length}
      <label class="flex items-center gap-2"
        >beside
        <select
          class="field-small max-w-60"
          aria-label="Beside"
          value={asked.beside}
          onchange={(event) => change({ beside: event.currentTarget.value === '0' ? '' : event.currentTarget.value })}
        >
          <option value={0}>nothing else</option>
          {#each others as one (one.id)}<option value={one.id}>{one.name}, {moment(one.at)}</option>{/each}
        </select></label
      >
    {/if}
    <span class="text-soft ml-auto flex gap-3"
      >Save as
      {#each ['json', 'csv', 'html'] as form (form)}
        <a
          class="text-brass underline"
          href="/api/matrices/{measured.data.id}/file?form={form}"
          download
          data-sveltekit-reload>{form === 'html' ? 'page' : form.toUpperCase()}</a
        >
      {/each}</span
    >
  </div>
  <div class="border-ink flex border-b px-4 py-1 text-[13px] font-bold">
    <span class="w-72 shrink-0">Feature</span>
    <span class="flex-1">As it was sent</span>
    <span class="w-32 text-center">{name}</span>
    <span class="flex-1 pl-4">As it came back</span>
    {#if asked.beside}<span class="w-28 text-center">{other.data?.name ?? '…'}</span>{/if}
  </div>
  <!-- svelte-ignore a11y_no_noninteractive_tabindex (what scrolls has to be reached by keys) -->
  <div class="min-h-0 flex-1 overflow-y-auto" role="region" aria-label="Features" tabindex="0" data-rest data-part>
    {#each groups as group (group.name)}
      <h2 class="bg-shade px-4 py-1 text-[13px] font-bold">{group.name}</h2>
      {#each group.rows as row (row.feature)}
        <FeatureRow {row} beside={beside.get(row.feature)} wide={asked.beside > 0} />
      {/each}
    {:else}
      <p class="p-4">{asked.words ? 'No feature has these words.' : `Everything is kept at ${name}.`}</p>
    {/each}
  </div>
{:else}
  <p class="text-soft p-6" role="status">Fetching…</p>
{/if}
