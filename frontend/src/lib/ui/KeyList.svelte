<script lang="ts">
  import { keys } from '$lib/state/keys.svelte';
  import Action from '$lib/ui/Action.svelte';

  let dialog: HTMLDialogElement;

  export function open(): void {
    dialog.showModal();
  }
</script>

<dialog
  bind:this={dialog}
  aria-label="Keys that work here"
  class="bg-sheet text-ink border-ink m-auto w-[460px] border-2 p-5 backdrop:bg-black/40"
>
  <h2 class="mb-3 text-lg font-bold">Keys that work here</h2>
  <dl class="ruled mb-4">
    {#each keys.all as key, k (k)}
      <div class="flex gap-4 py-1">
        <dt class="figures w-36 shrink-0">{key.key === ' ' ? 'Space' : key.key}</dt>
        <dd>{key.does}</dd>
      </div>
    {/each}
  </dl>
  <Action onclick={() => dialog.close()}>Close</Action>
</dialog>
