<script lang="ts">
  import Input from '$lib/ui/Input.svelte';
  import { useQueryClient } from '@tanstack/svelte-query';
  import Action from '$lib/ui/Action.svelte';
  import { answer, client, type Calendar } from '$lib/api/client';
  import { key, query, refreshAll } from '$lib/api/queries';
  import { attempt } from '$lib/state/attempt.svelte';
  import { notices } from '$lib/state/notice.svelte';
  import { didIt } from '$lib/state/undo';
  import { looking } from '$lib/state/looking.svelte';

  /** A new event in a typed line: what, when, and on whose clock. */
  type Props = {
    calendars: Calendar[];
    usual: number;
    onclose: () => void;
    onmade: (day: string, title: string) => void;
  };
  const { calendars, usual, onclose, onmade }: Props = $props();

  const queries = useQueryClient();
  let text = $state('');
  let chosen = $state(0);
  let input = $state<HTMLInputElement>();
  $effect(() => input?.focus());
  const check = query(() => ({
    queryKey: key('line', text, looking.zone),
    queryFn: () => answer(client.GET('/api/lines', { params: { query: { text, zone: looking.zone } } })),
    enabled: text.trim() !== '',
    placeholderData: (previous) => previous,
  }));
  const said = $derived(text.trim() ? check.data : undefined);
  const unclear = $derived((check.isPlaceholderData ? [] : (said?.pieces ?? [])).filter((p) => p.means === 'unclear'));
  const into = $derived(chosen || usual);
  const home = $derived(calendars.find((one) => one.id === into));

  async function add(): Promise<void> {
    await attempt(async () => {
      const body = { calendar: into, text, zone: looking.zone };
      const done = await answer(client.POST('/api/lines', { body }));
      didIt(done.set_id, done.title);
      looking.used(into);
      notices.did(`${done.title}, added to ${calendars.find((one) => one.id === body.calendar)?.label}`);
      // Whoever is quicker than the answer to what is typed has it asked for once more.
      const { title } = await answer(client.GET('/api/lines', { params: { query: { text, zone: looking.zone } } }));
      onclose();
      await refreshAll(queries);
      onmade(done.day, title);
    });
  }
</script>

<form
  class="border-line bg-shade flex flex-wrap items-center gap-x-2 gap-y-1 border-b px-4 py-1.5"
  onsubmit={(event) => {
    event.preventDefault();
    void add();
  }}
>
  <Input
    bind:element={input}
    bind:value={text}
    class="flex-1"
    aria-label="New event"
    aria-describedby="line-said"
    placeholder="Berth 3 crane check, tue 14:00–15:30, Hobart time"
    onkeydown={(event) => event.key === 'Escape' && onclose()}
  />
  <select
    class="field"
    aria-label="Layer of the new event"
    value={into}
    onchange={(event) => (chosen = Number(event.currentTarget.value))}
  >
    {#each calendars.filter((one) => one.writable) as one (one.id)}<option value={one.id}>{one.label}</option>{/each}
  </select>
  <Action kind="main" submit disabled={!text.trim()}
    >Add it to {calendars.find((one) => one.id === into)?.name ?? '…'}</Action
  >
  <Action onclick={onclose} key="Esc">Close</Action>
  <p id="line-said" class="w-full text-[13px]" role="status">
    {#if !said}<span class="text-soft"
        >Title and time, with a repeat rule if needed: every second tue until june, weekly on thu.</span
      >
    {:else if said.wrong}<span class="text-changed">{said.wrong}</span>
    {:else}
      <strong>{said.title}</strong> <span class="figures">{said.says}</span>
      {#if home}<span class="text-soft"
          >into {home.label}{home.live ? `, and from there to ${home.account}` : ', which lives only here'}</span
        >{/if}
      {#each unclear as piece (piece.start)}
        <span class="text-changed ml-2"
          ><u class="decoration-wavy">{text.slice(piece.start, piece.end)}</u> is no day, hour, clock or repeat: it stays
          in the title.</span
        >
      {/each}
    {/if}
  </p>
</form>
