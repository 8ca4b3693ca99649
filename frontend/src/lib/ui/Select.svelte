<script lang="ts" generics="Value">
  import type { Snippet } from 'svelte';
  import type { HTMLSelectAttributes } from 'svelte/elements';

  type Props = Omit<HTMLSelectAttributes, 'value'> & { value: Value; class?: string; children: Snippet };
  /** A choice of one. `class` says how wide it is. */
  let { value = $bindable(), class: wide = '', children, ...rest }: Props = $props();
</script>

<select bind:value class="field {wide}" {...rest}>{@render children()}</select>
