<script lang="ts">
  import { page } from '$app/state';
  import { useQueryClient } from '@tanstack/svelte-query';
  import Action from '$lib/ui/Action.svelte';
  import Deck from '$lib/ui/Deck.svelte';
  import ChangeSetView from '$lib/mend/ChangeSetView.svelte';
  import { reviewQuery } from '$lib/api/queries';
  import { counted } from '$lib/ui/words';
  import { undo } from '$lib/state/undo';

  const queries = useQueryClient();
  const review = reviewQuery(() => Number(page.params.id));
  const set = $derived(review.data?.change_set);
  const total = $derived((set?.creates ?? 0) + (set?.updates ?? 0) + (set?.deletes ?? 0));
</script>

<svelte:head><title>Batch · Date Bridge</title></svelte:head>

{#if review.isError}
  <p class="text-removed p-6">{review.error.message}</p>
{:else if review.data && set}
  <ChangeSetView review={review.data} />
  <Deck label="Batch">
    {set.undone_by_id
      ? `This batch was undone by batch ${set.undone_by_id}.`
      : set.undoable
        ? 'This batch is applied.'
        : 'This batch mirrors the server. To remove it, switch the calendar off.'}
    {#snippet actions()}
      <Action href="/logbook">Back to the logbook</Action>
      {#if review.data?.pushed.refused || review.data?.pushed.conflict}
        <Action kind="main" href="/connect/conflicts">Review changes that failed</Action>
      {/if}
      {#if set.creates && !set.undone_by_id}
        <Action href="/look?filter=imported:{set.id}">Show the added entries in the table</Action>
      {/if}
      {#if !set.undone_by_id && set.undoable}
        <Action kind="grave" onclick={() => void undo(queries, set.id, set.title)}>
          Undo {counted(total, 'change', 'changes')}
        </Action>
      {/if}
    {/snippet}
  </Deck>
{:else}
  <p class="text-soft p-6" role="status">Fetching…</p>
{/if}
