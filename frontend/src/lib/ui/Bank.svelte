<script lang="ts">
  import type { Entry } from '$lib/api/client';

  /** One side of a change: an entry, or what is said where there is none. */
  const {
    entry,
    differs = [],
    nothing,
    struck = false,
    says = '',
  }: {
    entry: Entry | null;
    differs?: string[];
    nothing: string;
    struck?: boolean;
    /** Something it says that no column shows. */
    says?: string;
  } = $props();
  const mark = (column: string) => (differs.includes(column) ? 'bg-picked font-bold' : '');
</script>

{#if entry}
  <div class="min-w-0 flex-1 {struck ? 'text-soft' : ''}">
    <div class="flex gap-3">
      <span class="figures shrink-0 {mark('when')}">{entry.when}</span>
      <span class="truncate {mark('what')}" title={entry.what}>{entry.what}</span>
    </div>
    {#if says}
      <div class="bg-picked truncate text-[12px]" title={says}>{says}</div>
    {:else}
      <div class="text-soft flex gap-3 text-[12px]">
        <span class="truncate {mark('where')}">{entry.where}</span>
        <span class="truncate {mark('repeats')}">{entry.override ? 'changed occurrence' : entry.repeats}</span>
        <span class="truncate {mark('zone')}">{entry.zone}</span>
        <span class="truncate {mark('marks')}">{entry.marks.join(', ')}</span>
      </div>
    {/if}
  </div>
{:else}
  <div class="text-soft min-w-0 flex-1 italic">{nothing}</div>
{/if}
