<script lang="ts">
  import Action from '$lib/ui/Action.svelte';
  import Swatch from '$lib/ui/Swatch.svelte';
  import type { Calendar } from '$lib/api/client';
  import { count, counted, lately, moment } from '$lib/ui/words';

  /** A calendar with what it says about itself, in words. */
  const { calendar, onexport }: { calendar: Calendar; onexport: (calendar: Calendar) => void } = $props();
</script>

<li class="calendar grid min-h-12 items-center gap-x-4 py-1 text-[13px]">
  <div class="min-w-0">
    <div class="flex items-center gap-2">
      <Swatch {calendar} />
      <a
        class="hover:text-brass truncate font-medium underline decoration-dotted"
        href="/connect/calendar/{calendar.id}"
        title={calendar.name}>{calendar.name}</a
      >
    </div>
    <div class="text-soft truncate pl-5 text-[12px]" title="{calendar.flow}; owned by {calendar.owner}">
      {#if calendar.echo}<span class="text-changed">a copy of your share “{calendar.echo}”</span> ·{/if}
      {calendar.flow}{calendar.live && calendar.owner !== 'you' ? ` · of ${calendar.owner}` : ''}
    </div>
  </div>
  <div class="min-w-0">
    <div class="truncate">{calendar.state}</div>
    {#if calendar.trouble}
      <div class="text-removed truncate text-[12px]" title={calendar.trouble}>
        not since {lately(calendar.failed_since)}: {calendar.trouble}
      </div>
    {:else if calendar.live}
      <div class="text-soft truncate text-[12px]" title="{calendar.outcome}; {calendar.interval}">
        {#if calendar.refreshed_at}<span class="figures">{lately(calendar.refreshed_at)}</span>
          {calendar.outcome} · next <span class="figures">{lately(calendar.next_at)}</span>
        {:else}first download in progress{/if}
      </div>
    {:else}
      <div class="text-soft truncate text-[12px]" title="from {calendar.source}, {moment(calendar.taken_at)}">
        from {calendar.source}, {moment(calendar.taken_at)}
      </div>
    {/if}
  </div>
  <div class="figures text-right">
    <div>{counted(calendar.entries, 'entry', 'entries')}</div>
    <div class="text-soft text-[12px]">
      {calendar.first ? `${calendar.first} – ${calendar.last ?? 'no end'}` : 'no dates'}
    </div>
  </div>
  <div class="flex flex-col items-start text-[12px]">
    {#if calendar.held_set_id}
      <a class="text-changed font-bold underline" href="/mend/{calendar.held_set_id}">held back: decide</a>
    {/if}
    {#if calendar.to_decide}
      <a class="text-removed font-bold underline" href="/connect/conflicts">{count(calendar.to_decide)} to decide</a>
    {/if}
    {#if calendar.to_push}<span class="text-changed">{count(calendar.to_push)} on their way</span>{/if}
    {#if calendar.problems}
      <a class="text-removed underline" href="/look?filter={encodeURIComponent(calendar.term)}%20has:problem">
        {counted(calendar.problems, 'problem', 'problems')}
      </a>
    {/if}
  </div>
  <div class="flex justify-end gap-2">
    <Action
      href="/look?filter={encodeURIComponent(calendar.term)}"
      hint="Show {calendar.label} in the table"
      named="Show {calendar.label}">Show</Action
    >
    <Action onclick={() => onexport(calendar)} hint="Export {calendar.label} as a file" named="Export… {calendar.label}"
      >Export…</Action
    >
    <Action
      href="/connect/calendar/{calendar.id}"
      hint="Details and settings of {calendar.label}"
      named="About… {calendar.label}">About…</Action
    >
  </div>
</li>

<style>
  :global(.calendar) {
    grid-template-columns: minmax(0, 1.2fr) minmax(0, 1.5fr) 200px 96px 262px;
  }
  @media (max-width: 1050px) {
    :global(.calendar) {
      grid-template-columns: minmax(0, 1fr) minmax(0, 1fr) auto;
      row-gap: 4px;
      padding-block: 6px;
    }
  }
  @media (max-width: 760px) {
    :global(.calendar) {
      grid-template-columns: minmax(0, 1fr);
    }
    :global(.calendar > *) {
      justify-content: start;
      text-align: left;
    }
  }
</style>
