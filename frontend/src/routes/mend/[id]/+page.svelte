<script lang="ts">
  import { goto } from '$app/navigation';
  import { navigating, page } from '$app/state';
  import { useQueryClient } from '@tanstack/svelte-query';
  import { onMount } from 'svelte';
  import Action from '$lib/ui/Action.svelte';
  import Deck from '$lib/ui/Deck.svelte';
  import ChangeSetView from '$lib/mend/ChangeSetView.svelte';
  import { answer, client } from '$lib/api/client';
  import { refreshAll, reviewQuery } from '$lib/api/queries';
  import { keys } from '$lib/state/keys.svelte';
  import { notices } from '$lib/state/notice.svelte';
  import { apply } from '$lib/state/undo';

  const queries = useQueryClient();
  const id = $derived(Number(page.params.id));
  const review = reviewQuery(() => id);
  const set = $derived(review.data?.change_set);
  let busy = $state(false);

  async function act(what: 'apply' | 'discard'): Promise<void> {
    if (busy || set?.state !== 'proposed') return;
    busy = true;
    try {
      if (what === 'apply') await apply(id);
      else await answer(client.POST('/api/change-sets/{set_id}/discard', { params: { path: { set_id: id } } }));
      const title = set.title;
      // Whoever has gone elsewhere meanwhile stays there.
      if (page.url.pathname === `/mend/${set.id}` && !navigating.to) await goto(what === 'apply' ? '/look' : '/mend');
      if (what === 'apply') notices.did(`Done: ${title}`);
      else notices.say('Discarded. Nothing was changed.');
      await refreshAll(queries);
    } catch (error) {
      notices.wrong(error);
    } finally {
      busy = false;
    }
  }

  async function force(): Promise<void> {
    if (!set?.undoes_id) return;
    const params = { path: { set_id: set.undoes_id }, query: { force: true } };
    try {
      const done = await answer(client.POST('/api/change-sets/{set_id}/undo', { params }));
      await answer(client.POST('/api/change-sets/{set_id}/discard', { params: { path: { set_id: id } } }));
      await refreshAll(queries);
      await goto(`/mend/${done.set_id}`);
    } catch (error) {
      notices.wrong(error);
    }
  }

  onMount(() =>
    keys.offer([
      { key: 'a', does: 'apply the proposal', aim: 'change', run: () => void act('apply') },
      { key: 'd', does: 'discard the proposal', aim: 'change', run: () => void act('discard') },
    ]),
  );
</script>

<svelte:head><title>Proposal · Date Bridge</title></svelte:head>

{#if review.isError}
  <p class="text-removed p-6">{review.error.message}</p>
{:else if review.data && set}
  <ChangeSetView review={review.data} />
  {#if set.state === 'proposed'}
    <Deck label="Proposal">
      Nothing has been changed yet. Once applied, the batch can be undone.
      {#snippet actions()}
        {#if set.held && set.undoes_id}<Action onclick={() => void force()}
            >Also undo the {set.held} changed since: their later changes are lost</Action
          >{/if}
        <Action onclick={() => void act('discard')} key="d">Discard the proposal</Action>
        <Action kind="main" onclick={() => void act('apply')} disabled={busy} key="a">{review.data.button}</Action>
      {/snippet}
    </Deck>
  {:else}
    <Deck label="Proposal">
      This proposal is {set.state}.
      {#snippet actions()}<Action href="/logbook">Open the logbook</Action>{/snippet}
    </Deck>
  {/if}
{:else}
  <p class="text-soft p-6" role="status">Fetching…</p>
{/if}
