<script lang="ts">
  import { goto } from '$app/navigation';
  import { useQueryClient } from '@tanstack/svelte-query';
  import { onMount } from 'svelte';
  import Action from '$lib/ui/Action.svelte';
  import Input from '$lib/ui/Input.svelte';
  import { answer, client } from '$lib/api/client';
  import { accountsQuery, key, query, refreshTopics } from '$lib/api/queries';
  import { attempt } from '$lib/state/attempt.svelte';
  import { walking } from '$lib/state/focus';
  import { keys } from '$lib/state/keys.svelte';
  import { count, counted, moment } from '$lib/ui/words';

  /** The targets: which of them were measured, and when; and systems that only take files. */
  const queries = useQueryClient();
  const accounts = accountsQuery();
  const measured = query(() => ({
    queryKey: key('fidelity', 'all'),
    queryFn: () => answer(client.GET('/api/matrices')),
  }));
  const byAccount = $derived(new Map((measured.data ?? []).map((one) => [one.account_id, one])));
  const servers = $derived((accounts.data ?? []).filter((one) => one.kind === 'server'));
  const systems = $derived((measured.data ?? []).filter((one) => one.account_id === null));
  let name = $state('');
  let file: HTMLInputElement | undefined = $state();

  async function read(): Promise<void> {
    const chosen = file?.files?.[0];
    if (!file || !chosen) return;
    const read = chosen.text();
    file.value = ''; // the next file may come while this one is looked at
    await attempt(async () => {
      const body = { name: name.trim() || chosen.name, text: await read };
      const matrix = await answer(client.POST('/api/matrices', { body }));
      await refreshTopics(queries, ['fidelity']);
      await goto(`/connect/keeps/system?matrix=${matrix.id}`);
    });
  }

  async function measureOwn(): Promise<void> {
    await attempt(async () => {
      await answer(client.POST('/api/matrices/own'));
      await refreshTopics(queries, ['fidelity']);
    });
  }

  onMount(() => keys.offer([{ key: '↑ ↓', does: 'from one target to the next; Enter opens it', aim: 'find' }]));
</script>

<svelte:head><title>What is kept · Date Bridge</title></svelte:head>
<div
  class="min-h-0 flex-1 overflow-y-auto px-4 py-3"
  role="region"
  aria-label="Targets"
  tabindex="-1"
  data-rest
  data-part
  {@attach walking('a[href], button, input', undefined, true)}
>
  <h1 class="text-xl font-bold">What is kept</h1>
  <p class="text-soft mb-4 max-w-[90ch]">
    Every system keeps a little less, or something else, than it is given. Measure a target before anything moves there,
    and see what each entry will lose.
  </p>
  <h2 class="border-ink border-b pb-1 font-bold">Accounts</h2>
  <ul class="mb-6">
    {#each servers as account (account.id)}
      {@const one = byAccount.get(account.id)}
      <li class="border-line flex min-h-10 items-center gap-4 border-b text-[13px]">
        <a class="text-brass w-60 truncate font-medium underline" href="/connect/keeps/{account.id}">{account.name}</a>
        {#if one}
          <span class="figures">keeps {count(one.kept)}, loses {counted(one.lost, 'feature', 'features')}</span>
          <span class="text-soft figures ml-auto">measured {moment(one.at)}</span>
        {:else}<span class="text-soft">not measured yet</span>{/if}
      </li>
    {:else}
      <li class="text-soft py-2">
        {accounts.data ? 'No account on a server yet. Connect one first.' : 'Fetching…'}
      </li>
    {/each}
  </ul>
  <div class="border-ink flex items-center border-b pb-1">
    <h2 class="font-bold">Shares, files, and systems that only take files</h2>
    <span class="ml-auto"
      ><Action
        onclick={() => void measureOwn()}
        hint="Write the probe in each form that is made here, and read it again">Measure shares and files</Action
      ></span
    >
  </div>
  <ul>
    {#each systems as one (one.id)}
      <li class="border-line flex min-h-10 items-center gap-4 border-b text-[13px]">
        <a class="text-brass w-60 truncate font-medium underline" href="/connect/keeps/system?matrix={one.id}"
          >{one.name}</a
        >
        <span class="figures">keeps {count(one.kept)}, loses {counted(one.lost, 'feature', 'features')}</span>
        <span class="text-soft figures ml-auto">measured {moment(one.at)}</span>
      </li>
    {/each}
  </ul>
  <ol class="mt-3 max-w-[90ch] list-decimal pl-6">
    <li class="mb-2">
      Save <a class="text-brass underline" href="/api/probe-file" download data-sveltekit-reload>the probe as a file</a
      >, and import it into a fresh calendar there.
    </li>
    <li class="mb-2">Export that calendar again. The system may have given the entries other UIDs.</li>
    <li>
      <span class="flex flex-wrap items-center gap-3">
        <label class="flex items-center gap-2"
          >Name of the system <Input bind:value={name} maxlength={120} class="w-48" /></label
        >
        <Action onclick={() => file?.click()}>Read its export…</Action>
        <input
          bind:this={file}
          type="file"
          accept=".ics,text/calendar"
          class="hidden"
          aria-label="The export"
          onchange={() => void read()}
        />
      </span>
    </li>
  </ol>
</div>
