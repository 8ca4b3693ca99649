<script lang="ts">
  import type { Snippet } from 'svelte';
  import Action from '$lib/ui/Action.svelte';

  /**
   * A question laid over the page: what it is about, what is asked, and the buttons that say what they do.
   *
   * The platform's own modal, and the only one there is. Escape closes it, Enter does what its main button says.
   */
  type Props = {
    label: string;
    width?: number;
    leave?: string;
    onclose: () => void;
    children: Snippet;
    actions?: Snippet;
  };
  const { label, width = 560, leave = 'Cancel', onclose, children, actions }: Props = $props();

  let dialog: HTMLDialogElement;
  $effect(() => dialog.showModal());

  function onkeydown(event: KeyboardEvent): void {
    const field = (event.target as Element).closest('input, select');
    if (event.key !== 'Enter' || event.defaultPrevented || !field || (event.target as Element).closest('form')) return;
    event.preventDefault();
    dialog.querySelector<HTMLButtonElement>('[data-main]:not([disabled])')?.click();
  }
</script>

<dialog
  bind:this={dialog}
  onclose={() => onclose()}
  {onkeydown}
  aria-label={label}
  style:width="{width}px"
  class="bg-sheet text-ink border-ink m-auto max-h-[calc(100dvh-32px)] max-w-[calc(100vw-32px)] overflow-y-auto border-2 p-5 backdrop:bg-black/40"
>
  {@render children()}
  <div class="mt-4 flex flex-wrap gap-2">
    {@render actions?.()}
    <Action onclick={() => dialog.close()} key="Esc">{leave}</Action>
  </div>
</dialog>
