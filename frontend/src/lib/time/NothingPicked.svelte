<script lang="ts">
  import Action from '$lib/ui/Action.svelte';

  /** Picked days before any is picked: how to, and three phrases to begin with. */
  const { onsay }: { onsay: (phrase: string) => void } = $props();
  const PHRASES = [
    'Mondays of this quarter',
    'last Fridays of the next six months',
    'first and last day of each month this year',
  ];
</script>

<div class="text-soft p-6">
  <p class="mb-2 text-base">No days are picked yet. Describe them above, or start with one of these:</p>
  <p class="mb-3 flex flex-wrap gap-2">
    {#each PHRASES as phrase (phrase)}<Action onclick={() => onsay(phrase)}>{phrase}</Action>{/each}
  </p>
  <p>Or turn on “pick days by clicking” in a month or year.</p>
</div>
