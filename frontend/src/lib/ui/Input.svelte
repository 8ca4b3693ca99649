<script lang="ts">
  import type { HTMLInputAttributes } from 'svelte/elements';

  type Props = HTMLInputAttributes & { value?: string; element?: HTMLInputElement; class?: string };
  /** A line to type into. `class` says how wide it is. */
  let { value = $bindable(''), element = $bindable(), class: wide = 'w-full', ...rest }: Props = $props();
</script>

<input bind:this={element} bind:value class="field {wide}" autocomplete="off" {...rest} />
