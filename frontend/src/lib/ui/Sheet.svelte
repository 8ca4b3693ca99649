<script lang="ts">
  import type { Snippet } from 'svelte';
  import Action from '$lib/ui/Action.svelte';

  /** A question laid over the page: what it is about, what is asked, and the buttons that say what they do. */
  type Props = { label: string; width?: number; onclose: () => void; children: Snippet; actions: Snippet };
  const { label, width = 560, onclose, children, actions }: Props = $props();

  let dialog: HTMLDialogElement;
  $effect(() => dialog.showModal());
</script>

<dialog
  bind:this={dialog}
  onclose={() => onclose()}
  aria-label={label}
  style:width="{width}px"
  class="bg-sheet text-ink border-ink m-auto border-2 p-5 backdrop:bg-black/40"
>
  {@render children()}
  <div class="mt-4 flex flex-wrap gap-2">
    {@render actions()}
    <Action onclick={() => dialog.close()} key="Esc">Not now</Action>
  </div>
</dialog>
