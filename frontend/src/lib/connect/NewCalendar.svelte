<script lang="ts">
  import Select from '$lib/ui/Select.svelte';
  import { useQueryClient } from '@tanstack/svelte-query';
  import Action from '$lib/ui/Action.svelte';
  import Sheet from '$lib/ui/Sheet.svelte';
  import Describe, { type Wanted } from '$lib/connect/Describe.svelte';
  import { answer, client, type Account } from '$lib/api/client';
  import { refreshAll } from '$lib/api/queries';
  import { attempt } from '$lib/state/attempt.svelte';
  import { notices } from '$lib/state/notice.svelte';
  import { apply } from '$lib/state/undo';

  /** A new, empty calendar, here or on an account. */
  const { accounts, onclose }: { accounts: Account[]; onclose: () => void } = $props();

  const queries = useQueryClient();
  let where = $state('here');
  let wanted = $state<Wanted>({ name: '', own_colour: '', zone: '', description: '' });
  const place = $derived(accounts.find((account) => String(account.id) === where)?.name ?? 'only here');

  async function make(): Promise<void> {
    const body = { ...$state.snapshot(wanted), account_id: where === 'here' ? null : Number(where) };
    const done = await attempt(async () => {
      const { set_id } = await answer(client.POST('/api/calendars', { body }));
      await apply(set_id);
    });
    if (!done) return;
    notices.say(`${wanted.name} is made. Press u to take it back.`);
    onclose();
    await refreshAll(queries);
  }
</script>

<Sheet label="New calendar" {onclose}>
  <h2 class="mb-3 text-lg font-bold">New calendar</h2>
  <label class="mb-2 flex items-center gap-2">
    <span class="w-24">Where</span>
    <Select bind:value={where} class="flex-1">
      <option value="here">only here</option>
      {#each accounts as account (account.id)}<option value={String(account.id)}>on {account.name}</option>{/each}
    </Select>
  </label>
  <Describe bind:wanted />
  {#snippet actions()}
    <Action kind="main" onclick={() => void make()} disabled={!wanted.name.trim()}>
      Make {wanted.name.trim() || 'a calendar'}
      {where === 'here' ? place : `on ${place}`}
    </Action>
  {/snippet}
</Sheet>
