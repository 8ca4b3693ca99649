<script lang="ts">
  import type { Snippet } from 'svelte';

  /** The bar along the bottom: what is selected or proposed, and the buttons that say what they do. */
  const { label, children, actions }: { label: string; children: Snippet; actions: Snippet } = $props();
</script>

<section
  data-deck
  aria-label={label}
  class="bg-shade border-ink flex min-h-[52px] shrink-0 flex-wrap items-center gap-x-4 gap-y-2 border-t-2 px-4 py-2"
>
  <div class="min-w-0 flex-1">{@render children()}</div>
  <div class="flex flex-wrap items-center gap-2">{@render actions()}</div>
</section>
