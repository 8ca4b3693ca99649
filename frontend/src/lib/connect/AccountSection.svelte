<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query';
  import Action from '$lib/ui/Action.svelte';
  import FewRows from '$lib/ui/FewRows.svelte';
  import JobLine from '$lib/ui/JobLine.svelte';
  import CalendarRow from '$lib/connect/CalendarRow.svelte';
  import Leave from '$lib/connect/Leave.svelte';
  import SignIn from '$lib/connect/SignIn.svelte';
  import { answer, client, type Account, type Calendar, type Job } from '$lib/api/client';
  import { refreshAll } from '$lib/api/queries';
  import { attempt } from '$lib/state/attempt.svelte';
  import { notices } from '$lib/state/notice.svelte';
  import { count, counted, moment } from '$lib/ui/words';

  /** An account on a server: its calendars, those switched on with all they say, those switched off visible as such. */
  type Props = {
    account: Account;
    calendars: Map<number, Calendar>;
    onexport: (calendar: Calendar) => void;
    /** Only calendars that have this in their name. */
    named?: string;
  };
  const { account, calendars, onexport, named = '' }: Props = $props();

  const queries = useQueryClient();
  const on = $derived(account.remotes.filter((remote) => remote.on));
  const off = $derived(account.remotes.filter((remote) => !remote.on));
  const called = $derived([...on, ...off].filter((one) => one.name.toLowerCase().includes(named.toLowerCase())));
  let chosen = $state<number[]>([]);
  let job = $state<number | null>(null);
  let leaving = $state(false);
  let signing = $state(false);

  async function start(work: () => Promise<{ job_id: number }>): Promise<void> {
    await attempt(async () => (job = (await work()).job_id));
  }

  async function ended(done: Job): Promise<void> {
    job = null;
    chosen = [];
    await refreshAll(queries);
    if (done.state !== 'done') notices.say(done.message, 'wrong');
    else {
      const results = (done.result.results ?? []) as { name: string; outcome: string }[];
      const news = results.filter((result) => result.outcome !== 'nothing changed');
      if (results.length)
        notices.say(news.map((one) => `${one.name}: ${one.outcome}`).join('; ') || 'Nothing has changed there.');
    }
  }

  /** What the sign-on host had given is no good any more: once more to its page. */
  async function signOn(): Promise<void> {
    await attempt(async () => {
      const there = await answer(client.POST('/api/accounts/{account_id}/sign-on', { params }));
      location.assign(there.address);
    });
  }

  const params = $derived({ path: { account_id: account.id } });
</script>

<section class="mb-6" aria-labelledby="account-{account.id}">
  <div class="border-ink flex items-center gap-4 border-b pb-1">
    <h2 id="account-{account.id}" class="font-bold">{account.name}</h2>
    <span class="text-soft text-[13px]">
      calendar server at {account.host}, as {account.user}{account.sign_on && `, through ${account.sign_on}`} · {on.length}
      on, {off.length} switched off
    </span>
    <span class="ml-auto flex gap-2">
      <Action onclick={() => void start(() => answer(client.POST('/api/accounts/{account_id}/refresh', { params })))}
        >Refresh now</Action
      >
      <Action
        onclick={() => void start(() => answer(client.POST('/api/accounts/{account_id}/rediscover', { params })))}
        hint="List the calendars that {account.name} has now, with the number of entries in each"
        >Rediscover calendars</Action
      >
      <Action
        href="/connect/keeps/{account.id}"
        hint="Measure what {account.name} keeps of what it is given, and foretell what entries lose there"
        named="What it keeps: {account.name}">What it keeps</Action
      >
      <Action onclick={() => (leaving = true)} hint="Disconnect {account.name}" named="Disconnect… {account.name}"
        >Disconnect…</Action
      >
    </span>
  </div>
  {#if account.trouble}
    <p class="border-removed mt-2 flex items-center gap-3 border-l-4 pl-3">
      <span class="flex-1"
        ><strong class="text-removed">Not reached since {moment(account.trouble_since)}.</strong>
        {account.trouble} What is here is as it was last seen.</span
      >
      {#if account.sign_on}
        <Action onclick={() => void signOn()}>Sign in again…</Action>
      {:else}
        <Action onclick={() => (signing = true)}>Give another password…</Action>
      {/if}
    </p>
  {/if}
  {#if account.habits.length}
    <details class="text-soft mt-1 text-[13px]">
      <summary class="hover:text-brass cursor-pointer">
        Habits of this server: {counted(account.habits.length, 'known habit', 'known habits')} and how Date Bridge handles
        {account.habits.length === 1 ? 'it' : 'them'}
      </summary>
      <ul class="mt-1 mb-2 pl-4">
        {#each account.habits as habit (habit.habit)}
          <li class="flex gap-4">
            <span>{habit.says}</span>
            <span class="figures ml-auto shrink-0">last seen {moment(habit.at)}</span>
          </li>
        {/each}
      </ul>
    </details>
  {/if}
  {#if job !== null}<div class="my-2"><JobLine behind id={job} onended={(done) => void ended(done)} /></div>{/if}
  <FewRows rows={called}>
    {#snippet row(remote: Account['remotes'][number])}
      {@const calendar = calendars.get(remote.calendar_id ?? 0)}
      {#if !remote.on}
        {@render leftOff(remote)}
      {:else if calendar}
        <CalendarRow {calendar} {onexport} />
      {:else}
        <li class="flex min-h-12 items-center gap-4 text-[13px]">
          <span class="font-medium">{remote.name}</span>
          {#if remote.trouble}
            <span class="text-removed">could not be fetched: {remote.trouble} The change is pending again.</span>
          {:else}<span class="text-soft">is first download in progress</span>{/if}
        </li>
      {/if}
    {/snippet}
  </FewRows>
  {#snippet leftOff(remote: Account['remotes'][number])}
    <li class="calendar text-soft grid min-h-10 items-center gap-x-4 py-1 text-[13px]">
      <label class="flex items-center gap-2">
        <input
          type="checkbox"
          class="accent-brass"
          value={remote.id}
          bind:group={chosen}
          aria-label="Choose {remote.name}"
        />
        <span class="truncate" title={remote.name}>{remote.name}</span>
      </label>
      <div class="min-w-0">
        <div class="truncate">
          <strong>switched off</strong> · {remote.may} · {remote.owner === 'you' ? 'yours' : `of ${remote.owner}`} · {remote.holds}
        </div>
        {#if remote.trouble}
          <div class="text-removed truncate text-[12px]" title={remote.trouble}>{remote.trouble}</div>
        {/if}
      </div>
      <div class="figures text-right">
        {#if remote.trouble}
          <div class="text-removed">could not be counted</div>
        {:else}
          <div>{remote.entries === null ? 'not counted yet' : counted(remote.entries, 'entry', 'entries')}</div>
        {/if}
        <div class="text-[12px]">{remote.span}</div>
      </div>
      <div></div>
      <div class="flex justify-end">
        <Action
          onclick={() => void start(() => answer(client.POST('/api/remotes', { body: { remotes: [remote.id] } })))}
          hint="Switch {remote.name} on"
          named="Switch on {remote.name}">Switch on</Action
        >
      </div>
    </li>
  {/snippet}
  {#if chosen.length > 1}
    <p class="mt-2">
      <Action
        kind="main"
        onclick={() => void start(() => answer(client.POST('/api/remotes', { body: { remotes: chosen } })))}
        >Switch {count(chosen.length)} calendars on</Action
      >
    </p>
  {/if}
</section>

{#if leaving}<Leave {account} onclose={() => (leaving = false)} />{/if}
{#if signing}<SignIn {account} onclose={() => (signing = false)} />{/if}
