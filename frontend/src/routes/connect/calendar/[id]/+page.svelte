<script lang="ts">
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { useQueryClient } from '@tanstack/svelte-query';
  import { walking } from '$lib/state/focus';
  import Action from '$lib/ui/Action.svelte';
  import Deck from '$lib/ui/Deck.svelte';
  import JobLine from '$lib/ui/JobLine.svelte';
  import Swatch from '$lib/ui/Swatch.svelte';
  import Describe, { type Wanted } from '$lib/connect/Describe.svelte';
  import Export from '$lib/look/Export.svelte';
  import Leave from '$lib/connect/Leave.svelte';
  import { answer, client, type Job } from '$lib/api/client';
  import { calendarsQuery, refreshAll } from '$lib/api/queries';
  import { attempt } from '$lib/state/attempt.svelte';
  import { notices } from '$lib/state/notice.svelte';
  import { apply } from '$lib/state/undo';
  import { counted, moment } from '$lib/ui/words';

  const queries = useQueryClient();
  const calendars = calendarsQuery();
  const calendar = $derived(calendars.data?.find((one) => one.id === Number(page.params.id)));
  const remote = $derived({ path: { remote_id: calendar?.remote_id ?? 0 } });
  let wanted = $state<Wanted | null>(null);
  let address = $state('');
  let job = $state<number | null>(null);
  let leaving = $state(false);
  let exporting = $state(false);

  const INTERVALS = [
    { seconds: 0, name: 'as usual' },
    { seconds: 900, name: 'every 15 minutes' },
    { seconds: 3600, name: 'every hour' },
    { seconds: 21600, name: 'every 6 hours' },
    { seconds: 86400, name: 'once a day' },
    { seconds: 604800, name: 'once a week' },
  ];

  $effect(() => {
    if (calendar && wanted === null)
      wanted = {
        name: calendar.name,
        own_colour: calendar.own_colour,
        zone: calendar.zone,
        description: calendar.description,
      };
  });
  const changed = $derived(
    calendar !== undefined &&
      wanted !== null &&
      (wanted.name !== calendar.name ||
        wanted.own_colour !== calendar.own_colour ||
        wanted.zone !== calendar.zone ||
        wanted.description !== calendar.description),
  );
  const facts = $derived.by((): [string, string][] => {
    if (!calendar) return [];
    const rows: [string, string][] = [
      ['What it is', calendar.state],
      ['Changes flow', calendar.flow],
      ['Holds', counted(calendar.entries, 'entry', 'entries')],
      ['From, to', calendar.first ? `${calendar.first} – ${calendar.last ?? 'no end'}` : 'no dates'],
    ];
    if (!calendar.live) return [...rows, ['From', `${calendar.source}, ${moment(calendar.taken_at)}`]];
    return [
      ...rows,
      ['Lives at', calendar.account],
      ['Owned by', calendar.owner],
      ['Last refreshed', `${moment(calendar.refreshed_at)}: ${calendar.outcome}`],
      ['Next', `${moment(calendar.next_at)} (${calendar.interval})`],
      ['Pending changes', `${counted(calendar.to_push, 'change', 'changes')}; ${calendar.to_decide} to decide`],
    ];
  });

  async function describe(): Promise<void> {
    const params = { path: { calendar_id: calendar?.id ?? 0 } };
    const done = await attempt(async () => {
      const { set_id } = await answer(client.PUT('/api/calendars/{calendar_id}', { params, body: wanted as Wanted }));
      await apply(set_id);
    });
    if (!done) return;
    wanted = null;
    notices.say('Properties saved. Press u to undo.');
    await refreshAll(queries);
  }

  async function propose(): Promise<void> {
    const params = { path: { calendar_id: calendar?.id ?? 0 } };
    await attempt(async () => {
      const { set_id } = await answer(client.DELETE('/api/calendars/{calendar_id}', { params }));
      await goto(`/mend/${set_id}`);
    });
  }

  async function refresh(): Promise<void> {
    await attempt(async () => {
      const body = { remotes: [calendar?.remote_id ?? 0] };
      job = (await answer(client.POST('/api/remotes/refresh', { body }))).job_id;
    });
  }

  async function ended(done: Job): Promise<void> {
    job = null;
    await refreshAll(queries);
    const results = (done.result.results ?? []) as { outcome: string; failed: boolean }[];
    if (done.state !== 'done') notices.say(done.message, 'wrong');
    else notices.say(`${calendar?.name}: ${results[0]?.outcome}.`);
  }

  async function every(seconds: number): Promise<void> {
    const body = { every: seconds };
    await attempt(async () => answer(client.PUT('/api/remotes/{remote_id}/interval', { params: remote, body })));
    await refreshAll(queries);
  }

  async function reveal(): Promise<void> {
    await attempt(async () => {
      address = (await answer(client.POST('/api/remotes/{remote_id}/address', { params: remote }))).address;
    });
  }

  async function copy(): Promise<void> {
    await navigator.clipboard.writeText(address);
    notices.say('The address is copied. Anyone who has it can read this calendar.');
  }
</script>

<svelte:head><title>{calendar?.name ?? 'Calendar'} · Date Bridge</title></svelte:head>

{#if calendars.isError}
  <p class="text-removed p-6">{calendars.error.message}</p>
{:else if calendar && wanted}
  <div
    class="min-h-0 flex-1 overflow-y-auto px-4 py-3"
    role="region"
    aria-label={calendar.name}
    tabindex="-1"
    data-rest
    data-part
    {@attach walking('a[href], button', undefined, true)}
  >
    <h1 class="mb-1 flex items-center gap-2 text-xl font-bold"><Swatch {calendar} />{calendar.name}</h1>
    {#if calendar.trouble}
      <p class="border-removed mb-3 border-l-4 pl-3">
        <strong class="text-removed">Not refreshed since {moment(calendar.failed_since)}.</strong>
        {calendar.trouble} What is here is as it was last seen.
      </p>
    {/if}
    {#if calendar.held_set_id}
      <p class="border-changed mb-3 flex items-center gap-3 border-l-4 pl-3">
        <span class="flex-1">{calendar.outcome}</span>
        <Action kind="main" href="/mend/{calendar.held_set_id}">Review and decide</Action>
      </p>
    {/if}
    {#if job !== null}<div class="mb-3"><JobLine behind id={job} onended={(done) => void ended(done)} /></div>{/if}
    <div class="flex gap-10">
      <section class="min-w-0 flex-1" aria-labelledby="says">
        <h2 id="says" class="border-ink border-b pb-1 font-bold">Properties from its source</h2>
        <dl class="ruled">
          {#each facts as [label, value] (label)}
            <div class="flex gap-3 py-1.5">
              <dt class="text-soft w-32 shrink-0">{label}</dt>
              <dd class="min-w-0 flex-1">{value}</dd>
            </div>
          {/each}
        </dl>
        {#if calendar.live}
          <div class="ruled border-line border-t">
            <label class="flex items-center gap-3 py-1.5">
              <span class="text-soft w-32">Refresh</span>
              <select
                class="field"
                value={calendar.every}
                onchange={(event) => void every(Number(event.currentTarget.value))}
              >
                {#each INTERVALS as one (one.seconds)}<option value={one.seconds}>{one.name}</option>{/each}
              </select>
              <span class="text-soft text-[13px]">never more often than its publisher asks</span>
            </label>
            <div class="flex min-h-11 items-center gap-3 py-1.5">
              <span class="text-soft w-32 shrink-0">Address</span>
              {#if address}
                <code class="figures bg-sheet border-line min-w-0 flex-1 border px-2 py-1 break-all">{address}</code>
                <Action onclick={() => void copy()}>Copy</Action>
                <Action onclick={() => (address = '')}>Hide</Action>
              {:else}
                <span class="flex-1">hidden: it may work like a password</span>
                <Action onclick={() => void reveal()}>Show the address</Action>
              {/if}
            </div>
          </div>
        {/if}
      </section>
      <section class="w-[480px] shrink-0" aria-labelledby="set">
        <h2 id="set" class="border-ink mb-2 border-b pb-1 font-bold">Properties</h2>
        <Describe bind:wanted />
        <p class="mt-3">
          <Action kind="main" onclick={() => void describe()} disabled={!changed}>
            Save{!calendar.live ? '' : calendar.writable ? ` here and on ${calendar.account}` : ' here only'}
          </Action>
        </p>
      </section>
    </div>
  </div>
  <Deck label="Calendar">
    {calendar.live ? 'Switching it off deletes nothing on the server.' : 'It exists only here.'}
    {#snippet actions()}
      <Action href="/connect">Back</Action>
      <Action href="/look?filter={encodeURIComponent(calendar.term)}">Show its entries</Action>
      <Action onclick={() => (exporting = true)}>Export…</Action>
      {#if !calendar.echo}<Action href="/share/new?calendars={calendar.id}&title={encodeURIComponent(calendar.name)}"
          >Share…</Action
        >{/if}
      {#if calendar.live}
        <Action onclick={() => void refresh()} disabled={job !== null}>Refresh now</Action>
        <Action onclick={() => (leaving = true)}>Switch off…</Action>
      {/if}
      {#if calendar.writable && (!calendar.live || calendar.owner === 'you')}
        <Action kind="grave" onclick={() => void propose()}>
          Delete it and its {counted(calendar.entries, 'entry', 'entries')}…
        </Action>
      {/if}
    {/snippet}
  </Deck>
  {#if leaving}<Leave {calendar} onclose={() => (leaving = false)} />{/if}
  {#if exporting}
    <Export
      selection={{ filter: '', excluded: [], only: null }}
      calendar={calendar.id}
      name={calendar.name}
      onclose={() => (exporting = false)}
    />
  {/if}
{:else if calendars.data}
  <p class="p-6">This calendar no longer exists. <a class="text-brass underline" href="/connect">Connect</a></p>
{:else}
  <p class="text-soft p-6" role="status">Fetching…</p>
{/if}
