<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import Swatch from '$lib/ui/Swatch.svelte';

  /** A group as a line of the list: how sure it is, what it is, and where its entries stand. */
  type Props = {
    group: Schemas['GroupRow'] | undefined;
    calendars: Map<number, Schemas['CalendarOut']>;
    open: boolean;
    onopen: () => void;
  };
  const { group, calendars, open, onopen }: Props = $props();
</script>

<div role="listitem" class="border-line h-full border-b">
  {#if group}
    <button
      class="flex h-full w-full items-center gap-2 px-4 text-left text-[13px] {open
        ? 'bg-picked shadow-[inset_3px_0_0_var(--brass)]'
        : 'hover:bg-shade'}"
      aria-current={open ? 'true' : undefined}
      onclick={onopen}
      onfocus={onopen}
    >
      <span class="figures text-soft w-9 shrink-0">{group.score.toFixed(2)}</span>
      <span class="min-w-0 flex-1">
        <span class="block truncate">{group.what}</span>
        <span class="figures text-soft block truncate text-[12px]">{group.when}</span>
      </span>
      <span class="flex shrink-0 items-center gap-1">
        {#each group.calendars.slice(0, 3) as id (id)}
          {@const calendar = calendars.get(id)}
          {#if calendar}<span title={calendar.label}><Swatch {calendar} /></span>{/if}
        {/each}
        <span class="figures">{group.members}</span>
      </span>
    </button>
  {:else}<span class="text-soft px-4">…</span>{/if}
</div>
