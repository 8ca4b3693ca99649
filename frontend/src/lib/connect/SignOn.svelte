<script lang="ts">
  import Input from '$lib/ui/Input.svelte';
  import Action from '$lib/ui/Action.svelte';
  import { answer, client, type Schemas } from '$lib/api/client';
  import { attempt } from '$lib/state/attempt.svelte';

  /** Signing in on the page of a sign-on host: a way there, and how Date Bridge is known there. */
  type Props = {
    asked: Pick<Schemas['SignOnIn'], 'address' | 'agreed' | 'authority' | 'certificate'>;
    /** There is no other way in. */
    alone: boolean;
  };
  const { asked, alone }: Props = $props();

  let host = $state('');
  let known = $state('');
  let secret = $state('');
  let busy = $state(false);

  async function go(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    busy = true;
    await attempt(async () => {
      const body = { ...asked, sign_on: host, client: known, secret };
      const there = await answer(client.POST('/api/accounts/sign-on', { body }));
      location.assign(there.address);
    });
    busy = false;
  }
</script>

<form class="border-rule mb-4 max-w-4xl border-l-4 pl-3" onsubmit={(event) => void go(event)} aria-label="Sign on">
  <p class="mb-2">
    {alone
      ? 'You sign in on the page of the server’s sign-on host,'
      : 'Enter them above, or sign in on the page of the server’s sign-on host'}
    and come back here. Date Bridge never sees that password; it is given access, which you can end there at any time.
  </p>
  <details class="mb-2">
    <summary class="hover:text-brass cursor-pointer">If the operator has given you a client ID</summary>
    <div class="mt-2 grid grid-cols-[auto_minmax(0,1fr)] items-center gap-x-4 gap-y-2">
      <label for="sign-on-host">Sign-on host</label>
      <Input id="sign-on-host" bind:value={host} placeholder="the one the server names" autocomplete="off" />
      <label for="sign-on-client">Client ID</label>
      <Input id="sign-on-client" bind:value={known} placeholder="date-bridge" autocomplete="off" />
      <label for="sign-on-secret">Client secret</label>
      <Input id="sign-on-secret" bind:value={secret} type="password" placeholder="none" autocomplete="off" />
      <span>Answers come to</span>
      <code class="figures">{location.origin}/connect/signed</code>
    </div>
  </details>
  <Action kind={alone ? 'main' : 'plain'} submit disabled={busy || !asked.address.trim()}>
    {busy ? 'Finding the sign-on host…' : 'Go and sign in'}
  </Action>
</form>
