<script lang="ts">
  import { goto, replaceState } from '$app/navigation';
  import { page } from '$app/state';
  import { useQueryClient } from '@tanstack/svelte-query';
  import { onMount, tick } from 'svelte';
  import Action from '$lib/ui/Action.svelte';
  import Consent from '$lib/connect/Consent.svelte';
  import { answer, client, Refusal } from '$lib/api/client';
  import { refreshAll } from '$lib/api/queries';
  import { notices } from '$lib/state/notice.svelte';

  /** Where a sign-on host sends people back to: the account is opened with what it has answered. */
  const queries = useQueryClient();
  const of = (name: string) => page.url.searchParams.get(name) ?? '';
  const answered = {
    state: of('state'),
    code: of('code'),
    error: of('error'),
    error_description: of('error_description'),
    iss: of('iss'),
  };
  let agreed = $state<string[]>([]);
  let refusal = $state<Refusal | null>(null);

  async function finish(): Promise<void> {
    refusal = null;
    try {
      const body = { ...answered, agreed };
      const opened = await answer(client.POST('/api/accounts/sign-on/answer', { body }));
      await goto('/connect', { replaceState: true });
      notices.say(
        opened.job_id === null
          ? `${opened.name} lets Date Bridge in again. It is refreshed from now on.`
          : `${opened.name} is connected. All its calendars are switched off: switch on those that matter.`,
      );
      await refreshAll(queries);
    } catch (error) {
      refusal = error instanceof Refusal ? error : new Refusal(String(error));
    }
  }

  function agree(origin: string): void {
    agreed = [...agreed, origin];
    void finish();
  }

  onMount(async () => {
    await tick();
    replaceState('/connect/signed', {}); // what opens the account stays in no list of pages
    await finish();
  });
</script>

<svelte:head><title>Signed in · Date Bridge</title></svelte:head>

<div class="min-h-0 flex-1 overflow-y-auto px-4 py-3" data-rest data-part>
  <h1 class="mb-3 text-xl font-bold">Back from the sign-on host</h1>
  {#if refusal}
    <Consent {refusal} onagree={agree} />
    <p><Action href="/connect">Back to all accounts</Action></p>
  {:else}
    <p role="status">Opening the account…</p>
  {/if}
</div>
