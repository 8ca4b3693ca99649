<script lang="ts">
  import { goto } from '$app/navigation';
  import { onMount } from 'svelte';
  import Action from '$lib/ui/Action.svelte';
  import Input from '$lib/ui/Input.svelte';
  import Select from '$lib/ui/Select.svelte';
  import { answer, client } from '$lib/api/client';
  import { accountsQuery, calendarsQuery, key, query } from '$lib/api/queries';
  import { attempt } from '$lib/state/attempt.svelte';
  import { walking } from '$lib/state/focus';
  import { keys } from '$lib/state/keys.svelte';
  import { counted } from '$lib/ui/words';

  /** A new crossing: its name, where it goes, and which calendars. */
  const calendars = calendarsQuery();
  const accounts = accountsQuery();
  const targets = $derived((accounts.data ?? []).filter((one) => one.kind === 'server'));
  let name = $state('');
  /** The account; 0 for calendars that live only here. */
  let target = $state<number | null>(null);
  let words = $state('');
  let chosen = $state<number[]>([]);
  let find: HTMLInputElement | undefined = $state();
  const measured = query(() => ({
    queryKey: key('fidelity', 'all'),
    queryFn: () => answer(client.GET('/api/matrices')),
  }));
  /** Most calendars are there, so that is what will be left. */
  const fullest = $derived([...targets].sort((one, other) => other.remotes.length - one.remotes.length)[0]);
  /** Where it goes unless something else is chosen: to the account that was measured last, else to the next one. */
  const likely = $derived(
    [...(measured.data ?? [])]
      .sort((one, other) => other.at.localeCompare(one.at))
      .map((one) => targets.find((account) => account.id === one.account_id))
      .find((account) => account !== undefined) ??
      targets.find((one) => one !== fullest) ??
      targets[0],
  );
  const goal = $derived(target ?? likely?.id ?? 0);
  const goalName = $derived(targets.find((one) => one.id === goal)?.name ?? 'calendars here');
  const offered = $derived((calendars.data ?? []).filter((one) => (one.account_id ?? 0) !== goal));
  const shown = $derived(
    offered.filter((one) => `${one.label} ${one.account}`.toLowerCase().includes(words.trim().toLowerCase())),
  );
  const groups = $derived(
    [...new Set(shown.map((one) => one.account || 'here'))].map((account) => ({
      account,
      rows: shown.filter((one) => (one.account || 'here') === account),
    })),
  );
  const going = $derived(offered.filter((one) => chosen.includes(one.id)));
  const called = $derived(name.trim() || `To ${goalName}`);

  function turn(ids: number[], on: boolean): void {
    chosen = on ? [...new Set([...chosen, ...ids])] : chosen.filter((id) => !ids.includes(id));
  }

  async function plan(): Promise<void> {
    const body = { name: called, account_id: goal || null, sources: going.map((one) => one.id) };
    await attempt(async () => {
      const made = await answer(client.POST('/api/crossings', { body }));
      await goto(`/cross/${made.id}`);
    });
  }

  onMount(() =>
    keys.offer([
      { key: '↑ ↓', does: 'from one calendar to the next; Space chooses it', aim: 'find' },
      { key: '/', does: 'find calendars', aim: 'find', run: () => find?.focus() },
      { key: 'p', does: 'propose the lanes', aim: 'change', run: () => void (going.length && plan()) },
    ]),
  );
</script>

<svelte:head><title>Plan a crossing · Date Bridge</title></svelte:head>
<form
  class="border-ink flex flex-wrap items-end gap-x-5 gap-y-2 border-b px-4 py-3"
  onsubmit={(event) => {
    event.preventDefault();
    if (going.length) void plan();
  }}
>
  <h1 class="w-full text-lg font-bold">Plan a crossing</h1>
  <label
    >To <Select bind:value={() => goal, (value) => (target = value)} class="ml-2 w-52">
      {#each targets as one (one.id)}<option value={one.id}>{one.name}</option>{/each}
      <option value={0}>calendars here</option>
    </Select></label
  >
  <label>called <Input bind:value={name} placeholder={called} maxlength={120} class="ml-2 w-60" /></label>
  <label class="min-w-40 flex-1"
    >Calendars <Input
      bind:element={find}
      bind:value={words}
      placeholder="find"
      aria-label="Find calendars"
      class="ml-2 w-40"
    /></label
  >
  <Action kind="main" submit key="p" disabled={!going.length}
    >{going.length ? `Propose ${counted(going.length, 'lane', 'lanes')} to ${goalName}` : 'Choose calendars'}</Action
  >
</form>
<div
  class="min-h-0 flex-1 overflow-y-auto px-4 py-2"
  role="region"
  aria-label="Calendars"
  tabindex="-1"
  data-rest
  data-part
  {@attach walking('input')}
>
  {#each groups as group (group.account)}
    {@const ids = group.rows.map((one) => one.id)}
    {@const all = ids.every((id) => chosen.includes(id))}
    <fieldset class="mb-4">
      <legend class="border-ink mb-1 flex w-full items-center gap-2 border-b font-bold">
        <label class="flex items-center gap-2"
          ><input
            type="checkbox"
            class="accent-brass"
            checked={all}
            onchange={() => turn(ids, !all)}
          />{group.account}</label
        >
        <span class="text-soft figures ml-auto text-[13px] font-normal"
          >{counted(group.rows.length, 'calendar', 'calendars')}</span
        >
      </legend>
      {#each group.rows as one (one.id)}
        <label class="border-line hover:bg-shade flex min-h-7 items-center gap-3 border-b text-[13px]">
          <input type="checkbox" class="accent-brass" value={one.id} bind:group={chosen} />
          <span class="min-w-0 flex-1 truncate">{one.name}</span>
          <span class="text-soft">{one.state}</span>
          <span class="figures w-28 text-right">{counted(one.entries, 'entry', 'entries')}</span>
        </label>
      {/each}
    </fieldset>
  {:else}
    <p class="text-soft p-2">
      {calendars.data ? 'No calendar matches that is not at the target already.' : 'Fetching…'}
    </p>
  {/each}
</div>
