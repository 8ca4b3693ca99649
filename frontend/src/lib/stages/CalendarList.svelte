<script lang="ts">
  import Action from '$lib/parts/Action.svelte';
  import HandOn from './HandOn.svelte';
  import { calendarsQuery } from '$lib/api/queries';
  import type { Calendar } from '$lib/api/client';
  import { counted, moment } from '$lib/words';

  /** The calendars, with what each says about itself. */
  const calendars = calendarsQuery();
  let handing = $state<Calendar | null>(null);
  const term = (name: string) => encodeURIComponent(`calendar:"${name}"`);
</script>

<section aria-labelledby="calendars-head">
  <h2 id="calendars-head" class="border-ink border-b pb-1 font-bold">Calendars</h2>
  {#if calendars.isError}<p class="text-removed py-2">{calendars.error.message}</p>{/if}
  {#if calendars.data?.length === 0}
    <p class="text-soft py-3">None yet. Each file goes into a fresh calendar unless you choose another.</p>
  {/if}
  <ul class="ruled">
    {#each calendars.data ?? [] as calendar (calendar.id)}
      <li class="flex h-10 items-center gap-4 text-[13px]">
        <span class="w-64 truncate font-medium" title={calendar.name}>{calendar.name}</span>
        <span class="w-44">{calendar.state}</span>
        <span class="figures w-28 text-right">{counted(calendar.entries, 'entry', 'entries')}</span>
        <span class="figures w-48"
          >{calendar.first ? `${calendar.first} – ${calendar.last ?? 'no end'}` : 'no dates'}</span
        >
        <span class="text-soft min-w-0 flex-1 truncate" title="from {calendar.source}, {moment(calendar.taken_at)}"
          >from {calendar.source}, {moment(calendar.taken_at)}</span
        >
        {#if calendar.problems}
          <a class="text-removed underline" href="/look?filter={term(calendar.name)}%20has:problem">
            {counted(calendar.problems, 'problem', 'problems')}
          </a>
        {/if}
        <Action href="/look?filter={term(calendar.name)}">Show</Action>
        <Action onclick={() => (handing = calendar)} hint="Hand on {calendar.name} as a file">Hand on…</Action>
      </li>
    {/each}
  </ul>
</section>

{#if handing}
  <HandOn
    selection={{ filter: '', excluded: [], only: null }}
    calendar={handing.id}
    name={handing.name}
    onclose={() => (handing = null)}
  />
{/if}
