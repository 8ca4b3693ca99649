<script lang="ts">
  import { thisYear } from '$lib/state/clock';
  import { createQuery } from '@tanstack/svelte-query';
  import { walking } from '$lib/state/focus';
  import { importing } from '$lib/state/imports.svelte';
  import Action from '$lib/ui/Action.svelte';
  import MendNav from '$lib/mend/MendNav.svelte';
  import PutAway from '$lib/mend/PutAway.svelte';
  import { answer, client } from '$lib/api/client';
  import { counted, moment, SEVERITY } from '$lib/ui/words';

  const problems = createQuery(() => ({ queryKey: ['problems'], queryFn: () => answer(client.GET('/api/problems')) }));
  const proposals = createQuery(() => ({
    queryKey: ['change-sets', 'proposed'],
    queryFn: () => answer(client.GET('/api/change-sets', { params: { query: { state: 'proposed' } } })),
  }));
  let putting = $state(false);
  let picker: HTMLInputElement | undefined;
  /** What was found, the worst first, each severity in a line. */
  const bySeverity = $derived(
    ['breaks', 'alters', 'untidy']
      .map((severity) => ({ severity, own: (problems.data ?? []).filter((one) => one.severity === severity) }))
      .filter((group) => group.own.length)
      .map(({ severity, own }) => ({
        severity,
        titles: own.map((one) => one.title).join(' · '),
        findings: own.reduce((sum, one) => sum + one.count, 0),
      })),
  );
  const INK: Record<string, string> = { breaks: 'text-removed', alters: 'text-changed', untidy: 'text-same' };
</script>

<svelte:head><title>Mend · Date Bridge</title></svelte:head>

<MendNav />
<div
  class="min-h-0 flex-1 overflow-y-auto px-4 pb-3"
  role="region"
  aria-label="Mend"
  tabindex="-1"
  data-rest
  data-part
  {@attach walking('a[href], button', undefined, true)}
>
  <h1 class="text-xl font-bold">Mend</h1>
  <p class="text-soft mb-4">
    What is wrong with the entries in your calendars, and what has been proposed and waits for you.
  </p>

  <section class="mb-6" aria-labelledby="problems">
    <h2 id="problems" class="border-ink border-b pb-1 font-bold">Problems found in the entries</h2>
    {#if problems.isError}<p class="text-removed py-2">{problems.error.message}</p>{/if}
    {#if problems.data?.length === 0}<p class="py-3">
        None. Every entry in your calendars is as the standard has it.
      </p>{/if}
    <ul class="ruled">
      {#each bySeverity as group (group.severity)}
        <li class="flex items-center gap-4 py-1.5">
          <strong class="w-16 {INK[group.severity]}">{group.severity}</strong>
          <div class="min-w-0 flex-1">
            <p class="truncate" title={group.titles}>{group.titles}</p>
            <p class="text-soft text-[13px]">{SEVERITY[group.severity]}</p>
          </div>
          <span class="figures text-right whitespace-nowrap">{counted(group.findings, 'finding', 'findings')}</span>
          <Action
            kind={group.severity === 'breaks' ? 'main' : 'plain'}
            href="/mend/checks?severity={group.severity}"
            named="Go through them: what {group.severity}">Go through them</Action
          >
        </li>
      {/each}
    </ul>
  </section>

  <section class="mb-6" aria-labelledby="proposals">
    <h2 id="proposals" class="border-ink border-b pb-1 font-bold">Proposals that wait</h2>
    {#if proposals.data?.rows.length === 0}
      <p class="py-3">
        None. Select entries in <a class="text-brass underline" href="/look">Look</a> and press Delete: what would go is shown
        here first.
      </p>
    {/if}
    <ul class="ruled">
      {#each proposals.data?.rows ?? [] as set (set.id)}
        <li class="flex items-center gap-4 py-1.5">
          <span class="figures w-36">{moment(set.at)}</span>
          <span class="w-96 truncate" title={set.title}>{set.title}</span>
          <span class="text-soft flex-1 truncate">{set.note || set.reason}</span>
          <Action kind="main" href="/mend/{set.id}" named="Look at it: {set.title}">Look at it</Action>
        </li>
      {/each}
    </ul>
  </section>

  <section aria-labelledby="habits">
    <h2 id="habits" class="border-ink border-b pb-1 font-bold">Usual cleaning</h2>
    <ul class="ruled">
      <li class="flex items-center gap-4 py-1.5">
        <span class="flex-1">Meetings that came by two roads and stand there twice.</span>
        <Action href="/mend/duplicates">Find duplicates</Action>
      </li>
      <li class="flex items-center gap-4 py-1.5">
        <span class="flex-1"
          >What is over before a day: put it away in an archive, one file a calendar, and remove it.</span
        >
        <Action href="/look?filter=before:{thisYear()}" named="Show them: what is over before this year"
          >Show them</Action
        >
        <Action onclick={() => (putting = true)}>Put away the old years…</Action>
      </li>
      <li class="flex items-center gap-4 py-1.5">
        <span class="flex-1"
          >A table that was exported as a spreadsheet and edited there: its differences become a proposal.</span
        >
        <Action onclick={() => picker?.click()} disabled={importing.sending}>Bring a table back…</Action>
      </li>
      <li class="flex items-center gap-4 py-1.5">
        <span class="flex-1"
          >A wrong import: find its batch in the logbook, or in the table with <span class="figures">imported:</span
          ></span
        >
        <Action href="/logbook">Open the logbook</Action>
      </li>
      <li class="flex items-center gap-4 py-1.5">
        <span class="flex-1">Zone names nobody knows, times on the wrong clock, and what is off in winter only.</span>
        <Action href="/mend/zones">Set zones right</Action>
      </li>
      <li class="flex items-center gap-4 py-1.5">
        <span class="flex-1">Series that came as single entries or in pieces, exceptions without their series.</span>
        <Action href="/mend/series">Put series together</Action>
      </li>
    </ul>
  </section>

  <section class="mt-6" aria-labelledby="further">
    <h2 id="further" class="border-ink border-b pb-1 font-bold">What else could be looked at</h2>
    <ul class="ruled">
      <li class="flex items-center gap-4 py-1.5">
        <span class="flex-1">Whether two calendars are two copies of one, and where they differ.</span>
        <Action href="/look/sides">Compare two sides</Action>
        <Action href="/mend/reconcile">Reconcile them</Action>
      </li>
      <li class="flex items-center gap-4 py-1.5">
        <span class="flex-1">What overlaps in the coming month, across calendars and accounts.</span>
        <Action href="/look/overlaps">Show what overlaps</Action>
      </li>
      <li class="flex items-center gap-4 py-1.5">
        <span class="flex-1">Floating times, which stand at the same hour on every clock: seldom meant.</span>
        <Action href="/look?filter=zone:none%20allday:no%20kind:event">Show them</Action>
      </li>
      <li class="flex items-center gap-4 py-1.5">
        <span class="flex-1">Series with people, who may be told when something of them changes.</span>
        <Action href="/look?filter=repeats:yes%20has:attendees">Show them</Action>
      </li>
    </ul>
  </section>
</div>

<input
  bind:this={picker}
  type="file"
  accept=".csv,.xlsx,text/csv"
  hidden
  aria-hidden="true"
  onchange={(event) => void importing.files(event.currentTarget.files)}
/>
{#if putting}<PutAway onclose={() => (putting = false)} />{/if}
