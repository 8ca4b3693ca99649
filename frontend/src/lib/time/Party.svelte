<script lang="ts">
  import Swatch from '$lib/ui/Swatch.svelte';
  import type { Calendar, Schemas } from '$lib/api/client';

  /** One party of an overlap: what it is, when, on which layer. */
  type Props = { one: Schemas['OccurrenceOut']; calendar: Calendar | undefined; onopen: () => void };
  const { one, calendar, onopen }: Props = $props();
</script>

<button class="hover:text-brass min-w-0 flex-1 text-left" onclick={onopen} title="{one.title} · {one.place}">
  <span class="flex gap-3">
    <span class="figures shrink-0">{one.date} {one.hours || 'whole day'}</span>
    <span class="truncate font-bold">{one.title}</span>
  </span>
  <span class="text-soft flex items-center gap-1.5 text-[12px]">
    {#if calendar}<Swatch {calendar} />{/if}
    <span class="shrink-0">{calendar?.label ?? ''}</span>
    <span class="truncate">{[one.place, one.own, one.marks.join(', ')].filter(Boolean).join(' · ')}</span>
  </span>
</button>
