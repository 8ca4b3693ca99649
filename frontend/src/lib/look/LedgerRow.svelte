<script lang="ts">
  import Swatch from '$lib/ui/Swatch.svelte';
  import type { Calendar, Entry } from '$lib/api/client';

  type Props = {
    entry: Entry | undefined;
    index: number;
    calendar: Calendar | undefined;
    selected: boolean;
    current: boolean;
    onpick: (event: MouseEvent) => void;
    ontoggle: () => void;
    onopen: () => void;
  };
  const { entry, index, calendar, selected, current, onpick, ontoggle, onopen }: Props = $props();
</script>

<!-- svelte-ignore a11y_click_events_have_key_events, a11y_interactive_supports_focus (the grid takes the keys) -->
<div
  role="row"
  id="row-{index}"
  aria-rowindex={index + 2}
  aria-selected={selected}
  class="border-line ledger grid h-full cursor-default items-center gap-x-3 border-b px-4 text-[13px] select-none {selected
    ? 'bg-picked'
    : 'hover:bg-shade'} {current ? 'current shadow-[inset_3px_0_0_var(--brass)]' : ''}"
  onclick={onpick}
  ondblclick={onopen}
>
  {#if entry}
    <div role="gridcell" class="flex">
      <button
        tabindex="-1"
        class="figures border-line bg-sheet h-4 w-4 border text-[11px] leading-3"
        aria-label={selected ? 'Remove from the selection' : 'Select'}
        onclick={(event) => {
          event.stopPropagation();
          ontoggle();
        }}>{selected ? '✓' : ''}</button
      >
    </div>
    <div role="gridcell" class="figures truncate" title={entry.when}>{entry.when}</div>
    <div role="gridcell" class="truncate" title={entry.what}>
      {#if entry.kind !== 'event'}<span class="text-soft">{entry.kind}:</span>{/if}
      {entry.what}
      {#if entry.status === 'cancelled'}<span class="text-removed">cancelled</span>{/if}
      {#if entry.status === 'tentative'}<span class="text-soft">tentative</span>{/if}
    </div>
    <div role="gridcell" class="truncate" title={entry.where}>{entry.where}</div>
    <div role="gridcell" class="flex min-w-0 items-center gap-1.5" title="{calendar?.label}: {calendar?.state}">
      {#if calendar}<Swatch {calendar} />{/if}<span class="truncate">{calendar?.label ?? ''}</span>
    </div>
    <div role="gridcell" class="truncate" title={entry.repeats}>
      {entry.override ? 'changed occurrence' : entry.repeats}
    </div>
    <div role="gridcell" class="truncate {entry.own ? 'figures' : ''}" title="{entry.zone} {entry.own}">
      {entry.own || entry.zone}
    </div>
    <div role="gridcell" class="truncate" title={entry.marks.join(', ')}>
      {#each entry.marks as mark, k (mark)}{k ? ', ' : ''}<span
          class={mark === 'problem' || mark === 'zone?' ? 'text-removed' : 'text-soft'}>{mark}</span
        >{/each}
    </div>
  {:else}
    <div role="gridcell" class="text-soft col-span-full">…</div>
  {/if}
</div>
