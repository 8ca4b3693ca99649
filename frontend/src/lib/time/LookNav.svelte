<script lang="ts">
  import type { Snippet } from 'svelte';
  import Ways from '$lib/ui/Ways.svelte';

  /** The ways to look: as a table, in time, at what overlaps, at two sides of the same days. */
  const { children }: { children?: Snippet } = $props();
  const WAYS = [
    { href: '/look', name: 'Table', what: 'every entry, with filters' },
    { href: '/look/time', name: 'Time', what: 'layers over each other: days, weeks, months, years' },
    { href: '/look/overlaps', name: 'Overlaps', what: 'overlaps' },
    { href: '/look/sides', name: 'Two sides', what: 'the same days of two calendars, against each other' },
  ];
</script>

<Ways label="Ways to look" ways={WAYS} {children} />
