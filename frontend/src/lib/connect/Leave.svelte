<script lang="ts">
  import { goto } from '$app/navigation';
  import { useQueryClient } from '@tanstack/svelte-query';
  import Action from '$lib/ui/Action.svelte';
  import Sheet from '$lib/ui/Sheet.svelte';
  import { answer, client, type Account, type Calendar, type Schemas } from '$lib/api/client';
  import { refreshAll } from '$lib/api/queries';
  import { attempt } from '$lib/state/attempt.svelte';
  import { notices } from '$lib/state/notice.svelte';
  import { counted } from '$lib/ui/words';

  /** Leaving an account, or one calendar of it: what stays here. Nothing is deleted on the server. */
  type Props = { account?: Account; calendar?: Calendar; onclose: () => void };
  const { account, calendar, onclose }: Props = $props();

  const queries = useQueryClient();
  let keep = $state<Schemas['KeepIn']['keep']>('snapshot');
  const name = $derived(account?.name ?? calendar?.name ?? '');
  const verb = $derived(account ? 'Disconnect' : 'Switch off');
  const waiting = $derived((calendar?.to_push ?? 0) + (calendar?.to_decide ?? 0));

  async function leave(): Promise<void> {
    const done = await attempt(async () => {
      const body = { keep };
      if (account)
        await answer(
          client.POST('/api/accounts/{account_id}/disconnect', { params: { path: { account_id: account.id } }, body }),
        );
      else
        await answer(
          client.DELETE('/api/remotes/{remote_id}', {
            params: { path: { remote_id: calendar?.remote_id ?? 0 }, query: { keep } },
          }),
        );
    });
    if (!done) return;
    onclose();
    await goto('/connect');
    await refreshAll(queries);
    notices.say(`${name}: ${account ? 'disconnected' : 'switched off'}. Nothing was deleted where it lives.`);
  }
</script>

<Sheet label="{verb} {name}" {onclose}>
  <h2 class="mb-2 text-lg font-bold">{verb} {name}</h2>
  <p class="mb-3">Nothing is deleted on the server. Keep the local copies?</p>
  <label class="flex gap-2 py-1">
    <input type="radio" class="accent-brass" name="keep" value="snapshot" bind:group={keep} />
    <span
      ><strong>Keep a snapshot.</strong> The entries stay as they are now. They can be edited, and are no longer synchronised.</span
    >
  </label>
  <label class="flex gap-2 py-1">
    <input type="radio" class="accent-brass" name="keep" value="nothing" bind:group={keep} />
    <span
      ><strong>Nothing.</strong> The entries are removed from Date Bridge. The logbook can restore them as a snapshot.</span
    >
  </label>
  {#if waiting}
    <p class="border-removed mt-2 border-l-4 pl-2">
      {counted(waiting, 'change has', 'changes have')} not been pushed there, and will not be.
    </p>
  {/if}
  {#snippet actions()}
    <Action kind="grave" onclick={() => void leave()}>
      {verb}
      {name}, keep {keep === 'nothing' ? 'nothing' : 'a snapshot'}
    </Action>
  {/snippet}
</Sheet>
