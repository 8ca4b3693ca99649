<script lang="ts">
  import type { Schemas } from '$lib/api/client';

  /** An entry on two banks: as it stands, and what readers get of it. */
  const { one, onopen }: { one: Schemas['SeenRow']; onopen: () => void } = $props();
  const struck = $derived(one.lines.filter((line) => line.source && !line.given.length).length);
</script>

<div role="listitem" class="h-full">
  <button
    class="border-line hover:bg-shade grid h-full w-full grid-cols-[1fr_44px_1fr] items-center border-b px-4 text-left text-[13px]"
    onclick={onopen}
  >
    <span class="min-w-0">
      <span class="block truncate {one.fate ? 'text-removed line-through' : ''}">{one.title || '(no title)'}</span>
      <span class="figures text-soft block truncate text-[12px]">{one.when} · {one.calendar}</span>
    </span>
    <span
      class="text-center font-bold {one.fate ? 'text-removed' : one.as_busy || struck ? 'text-changed' : 'text-same'}"
      aria-hidden="true">{one.fate ? '−' : one.as_busy ? '◐' : struck ? '~' : '='}</span
    >
    <span class="min-w-0">
      {#if one.fate}
        <span class="text-soft italic">left out: {one.fate}</span>
      {:else}
        <span class="block truncate {one.given_title ? '' : 'text-soft italic'}">{one.given_title || 'no title'}</span>
        <span class="text-soft block text-[12px]"
          >{one.as_busy ? 'private, as busy · ' : ''}{struck
            ? `${struck} ${struck === 1 ? 'line' : 'lines'} left out`
            : 'all of it'}</span
        >
      {/if}
    </span>
  </button>
</div>
