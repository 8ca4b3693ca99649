<script lang="ts">
  import type { Snippet } from 'svelte';

  type Props = { label: string; wide?: boolean; children: Snippet };
  /** Something to fill in, under its name; the name belongs to what is inside. */
  const { label, wide = false, children }: Props = $props();
</script>

<label class="mb-3 block {wide ? 'w-full' : ''}"><span class="mb-1 block">{label}</span>{@render children()}</label>
