<script lang="ts">
  import type { Snippet } from 'svelte';
  import Ways from '$lib/ui/Ways.svelte';

  /** The desks of Mend. */
  const { children }: { children?: Snippet } = $props();
  const WAYS = [
    { href: '/mend', name: 'Overview', what: 'problems, proposals that wait, usual cleaning' },
    { href: '/mend/checks', name: 'Checks', what: 'what is wrong with entries, and putting it right' },
    { href: '/mend/duplicates', name: 'Duplicates', what: 'entries that are the same meeting' },
    { href: '/mend/zones', name: 'Time zones', what: 'what zone names mean, and times on the wrong clock' },
    { href: '/mend/series', name: 'Series', what: 'what is wrong with series, and what is scattered' },
    { href: '/mend/reconcile', name: 'Reconcile', what: 'two calendars that should be the same' },
    { href: '/mend/recipes', name: 'Recipes', what: 'changes of many entries, kept under a name' },
  ];
</script>

<Ways label="Ways to mend" ways={WAYS} {children} />
