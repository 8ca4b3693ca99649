<script lang="ts">
  import Input from '$lib/ui/Input.svelte';
  import { useQueryClient } from '@tanstack/svelte-query';
  import Action from '$lib/ui/Action.svelte';
  import Sheet from '$lib/ui/Sheet.svelte';
  import Consent from '$lib/connect/Consent.svelte';
  import { answer, client, Refusal, type Account } from '$lib/api/client';
  import { refreshAll } from '$lib/api/queries';
  import { notices } from '$lib/state/notice.svelte';

  /** Another user name and password for an account, tried before they are kept. */
  const { account, onclose }: { account: Account; onclose: () => void } = $props();

  const queries = useQueryClient();
  // svelte-ignore state_referenced_locally (the name in use is a start)
  let user = $state(account.user);
  let password = $state('');
  let refusal = $state<Refusal | null>(null);
  let agreed = $state<string[]>([]);

  async function sign(): Promise<void> {
    const params = { path: { account_id: account.id } };
    const body = { user, password, agreed };
    refusal = null;
    try {
      await answer(client.POST('/api/accounts/{account_id}/sign-in', { params, body }));
      notices.say(`${account.name} accepts them. It is refreshed from now on.`);
      onclose();
      await refreshAll(queries);
    } catch (error) {
      refusal = error instanceof Refusal ? error : new Refusal(String(error));
    }
  }

  function agree(origin: string): void {
    agreed = [...agreed, origin];
    void sign();
  }
</script>

<Sheet label="Sign in to {account.name}" width={480} {onclose}>
  <h2 class="mb-3 text-lg font-bold">Sign in to {account.name}</h2>
  <label class="mb-2 flex items-center gap-2">
    <span class="w-24">User name</span>
    <Input bind:value={user} autocomplete="off" class="flex-1" />
  </label>
  <label class="flex items-center gap-2">
    <span class="w-24">Password</span>
    <Input bind:value={password} type="password" autocomplete="off" class="flex-1" />
  </label>
  <p class="text-soft mt-2 text-[13px]">With an access token instead of a password, leave the user name empty.</p>
  {#if refusal}<div class="mt-3"><Consent {refusal} onagree={agree} /></div>{/if}
  {#snippet actions()}
    <Action kind="main" onclick={() => void sign()} disabled={!password}>Try and keep them</Action>
  {/snippet}
</Sheet>
