<script lang="ts">
  import Action from '$lib/ui/Action.svelte';
  import type { Refusal } from '$lib/api/client';

  /** What went wrong with an address; and where a name and password would go further than asked, the question. */
  const { refusal, onagree }: { refusal: Refusal; onagree: (origin: string) => void } = $props();
</script>

<div class="border-removed mb-4 border-l-4 pl-3" role="alert">
  <p>{refusal.message}</p>
  {#if refusal.trouble === 'leaves'}
    <p class="mt-2 mb-1">Do you trust {refusal.origin}, and should it receive the user name and the password too?</p>
    <Action onclick={() => onagree(refusal.origin)}>Send them to {refusal.origin} too</Action>
  {:else if refusal.trouble === 'plain'}
    <p class="mt-2 mb-1">Ask the operator for an https address. Use http only within your own network.</p>
    <Action onclick={() => onagree(refusal.origin)}>Use {refusal.origin} anyway</Action>
  {/if}
</div>
