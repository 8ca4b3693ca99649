<script lang="ts">
  import { key, query } from '$lib/api/queries';
  import { goto } from '$app/navigation';
  import { onMount } from 'svelte';
  import { thisYear } from '$lib/state/clock';
  import { walking } from '$lib/state/focus';
  import { keys } from '$lib/state/keys.svelte';
  import { importing } from '$lib/state/imports.svelte';
  import Action from '$lib/ui/Action.svelte';
  import MendNav from '$lib/mend/MendNav.svelte';
  import PutAway from '$lib/mend/PutAway.svelte';
  import { answer, client } from '$lib/api/client';
  import { counted, moment, SEVERITY } from '$lib/ui/words';
  import { rows } from '$lib/state/rows';

  const problems = query(() => ({ queryKey: key('problems'), queryFn: () => answer(client.GET('/api/problems')) }));
  const proposals = query(() => ({
    queryKey: key('change-sets', 'proposed'),
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
  onMount(() =>
    keys.offer([
      { key: 'c', does: 'review the checks', aim: 'go', run: () => void goto('/mend/checks') },
      { key: 'o', does: 'archive past events', aim: 'change', run: () => (putting = true) },
      { key: 'd', does: 'find duplicates', aim: 'go', run: () => void goto('/mend/duplicates') },
      { key: 'z', does: 'fix time zones', aim: 'go', run: () => void goto('/mend/zones') },
      { key: 's', does: 'combine series', aim: 'go', run: () => void goto('/mend/series') },
    ]),
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
  <p class="text-soft mb-4">Problems in your calendars, and proposals that wait for your review.</p>

  <section class="mb-6" aria-labelledby="problems">
    <h2 id="problems" class="border-ink border-b pb-1 font-bold">Problems in entries</h2>
    {#if problems.isError}<p class="text-removed py-2">{problems.error.message}</p>{/if}
    {#if problems.data?.length === 0}<p class="py-3">None. Every entry conforms to the standard.</p>{/if}
    <ul class="ruled" {@attach rows()}>
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
            named="Review: {group.severity}">Review</Action
          >
        </li>
      {/each}
    </ul>
  </section>

  <section class="mb-6" aria-labelledby="proposals">
    <h2 id="proposals" class="border-ink border-b pb-1 font-bold">Open proposals</h2>
    {#if proposals.data?.rows.length === 0}
      <p class="py-3">
        None. Select entries in <a class="text-brass underline" href="/look">Look</a> and press Delete: the deletion is shown
        here first.
      </p>
    {/if}
    <ul class="ruled" {@attach rows()}>
      {#each proposals.data?.rows ?? [] as set (set.id)}
        <li class="flex items-center gap-4 py-1.5">
          <span class="figures w-36">{moment(set.at)}</span>
          <span class="w-96 truncate" title={set.title}>{set.title}</span>
          <span class="text-soft flex-1 truncate">{set.note || set.reason}</span>
          <Action kind="main" href="/mend/{set.id}" named="Review: {set.title}">Review</Action>
        </li>
      {/each}
    </ul>
  </section>

  <section aria-labelledby="habits">
    <h2 id="habits" class="border-ink border-b pb-1 font-bold">Usual cleaning</h2>
    <ul class="ruled" {@attach rows()}>
      <li class="flex items-center gap-4 py-1.5">
        <span class="flex-1">Events that exist twice because they came from two sources.</span>
        <Action href="/mend/duplicates" key="d">Find duplicates</Action>
      </li>
      <li class="flex items-center gap-4 py-1.5">
        <span class="flex-1"
          >Events that ended before a day: archive them, one file for each calendar, and delete them.</span
        >
        <Action href="/look?filter=before:{thisYear()}" named="Show them: events that ended before this year"
          >Show them</Action
        >
        <Action onclick={() => (putting = true)} key="o">Archive past events…</Action>
      </li>
      <li class="flex items-center gap-4 py-1.5">
        <span class="flex-1">A table that was exported and edited in a spreadsheet: its changes become a proposal.</span
        >
        <Action onclick={() => picker?.click()} disabled={importing.sending}>Import a table…</Action>
      </li>
      <li class="flex items-center gap-4 py-1.5">
        <span class="flex-1"
          >A wrong import: find its batch in the logbook, or filter the table with <span class="figures">imported:</span
          ></span
        >
        <Action href="/logbook">Open the logbook</Action>
      </li>
      <li class="flex items-center gap-4 py-1.5">
        <span class="flex-1">Unknown zone names, times in the wrong zone, and times that are wrong in winter only.</span
        >
        <Action href="/mend/zones" key="z">Fix time zones</Action>
      </li>
      <li class="flex items-center gap-4 py-1.5">
        <span class="flex-1">Split or scattered series, and changed occurrences without their series.</span>
        <Action href="/mend/series" key="s">Combine series</Action>
      </li>
    </ul>
  </section>

  <section class="mt-6" aria-labelledby="further">
    <h2 id="further" class="border-ink border-b pb-1 font-bold">More to review</h2>
    <ul class="ruled" {@attach rows()}>
      <li class="flex items-center gap-4 py-1.5">
        <span class="flex-1">Two calendars that may be copies: compare them and see the differences.</span>
        <Action href="/look/sides">Compare two sides</Action>
        <Action href="/mend/reconcile">Reconcile them</Action>
      </li>
      <li class="flex items-center gap-4 py-1.5">
        <span class="flex-1">Overlaps in the coming month, across calendars and accounts.</span>
        <Action href="/look/overlaps">Show overlaps</Action>
      </li>
      <li class="flex items-center gap-4 py-1.5">
        <span class="flex-1">Floating times, which mean the same clock time in every zone: rarely intended.</span>
        <Action href="/look?filter=zone:none%20allday:no%20kind:event">Show them</Action>
      </li>
      <li class="flex items-center gap-4 py-1.5">
        <span class="flex-1">Series with attendees, who may be notified of changes.</span>
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
