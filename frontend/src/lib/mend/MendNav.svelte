<script lang="ts">
  import type { Snippet } from 'svelte';
  import Ways from '$lib/ui/Ways.svelte';

  /** The desks of Mend. */
  const { children }: { children?: Snippet } = $props();
  const WAYS = [
    { href: '/mend', name: 'What to mend', what: 'problems, proposals that wait, usual cleaning' },
    { href: '/mend/checks', name: 'Checks', what: 'what is wrong with entries, and putting it right' },
    { href: '/mend/duplicates', name: 'Duplicates', what: 'entries that are the same meeting' },
    { href: '/mend/recipes', name: 'Recipes', what: 'changes of many entries, kept under a name' },
  ];
</script>

<Ways label="Ways to mend" ways={WAYS} {children} />
