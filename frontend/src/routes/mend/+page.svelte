<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import Action from '$lib/ui/Action.svelte';
  import { answer, client } from '$lib/api/client';
  import { count, moment, SEVERITY } from '$lib/ui/words';

  const problems = createQuery(() => ({ queryKey: ['problems'], queryFn: () => answer(client.GET('/api/problems')) }));
  const proposals = createQuery(() => ({
    queryKey: ['change-sets', 'proposed'],
    queryFn: () => answer(client.GET('/api/change-sets', { params: { query: { state: 'proposed' } } })),
  }));
  const INK: Record<string, string> = { breaks: 'text-removed', alters: 'text-changed', untidy: 'text-same' };
</script>

<svelte:head><title>Mend · Date Bridge</title></svelte:head>

<div class="min-h-0 flex-1 overflow-y-auto px-4 py-3" role="region" aria-label="Mend">
  <h1 class="text-xl font-bold">Mend</h1>
  <p class="text-soft mb-4">
    What is wrong with the entries in your calendars, and what has been proposed and waits for you.
  </p>

  <section class="mb-6" aria-labelledby="problems">
    <h2 id="problems" class="border-ink border-b pb-1 font-bold">Problems found when the entries were read</h2>
    {#if problems.isError}<p class="text-removed py-2">{problems.error.message}</p>{/if}
    {#if problems.data?.length === 0}<p class="py-3">
        None. Every entry in your calendars is as the standard has it.
      </p>{/if}
    <ul class="ruled">
      {#each problems.data ?? [] as problem (problem.code)}
        <li class="flex items-center gap-4 py-1.5">
          <strong class="w-16 {INK[problem.severity]}">{problem.severity}</strong>
          <span class="w-80">{problem.title}</span>
          <span class="text-soft flex-1">{SEVERITY[problem.severity]}</span>
          <span class="figures w-24 text-right">{count(problem.count)} {problem.count === 1 ? 'entry' : 'entries'}</span
          >
          <Action href="/look?filter=problem:{problem.code}">Show {count(problem.count)}</Action>
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
          <Action kind="main" href="/mend/{set.id}">Look at it</Action>
        </li>
      {/each}
    </ul>
  </section>

  <section aria-labelledby="habits">
    <h2 id="habits" class="border-ink border-b pb-1 font-bold">Usual cleaning</h2>
    <ul class="ruled">
      <li class="flex items-center gap-4 py-1.5">
        <span class="flex-1">Everything that is over before this year: put it away in an archive file first.</span>
        <Action href="/look?filter=before:{new Date().getFullYear()}">Show them</Action>
      </li>
      <li class="flex items-center gap-4 py-1.5">
        <span class="flex-1"
          >A wrong import: find its batch in the logbook, or in the table with <span class="figures">imported:</span
          ></span
        >
        <Action href="/logbook">Open the logbook</Action>
      </li>
      <li class="flex items-center gap-4 py-1.5">
        <span class="flex-1">Entries in a zone nobody knows, which other systems may show at another hour.</span>
        <Action href="/look?filter=problem:unresolved-zone">Show them</Action>
      </li>
    </ul>
  </section>
</div>
