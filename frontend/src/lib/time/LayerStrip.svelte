<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import Action from '$lib/ui/Action.svelte';
  import Sheet from '$lib/ui/Sheet.svelte';
  import { answer, client, type Calendar } from '$lib/api/client';
  import { refreshAll } from '$lib/api/queries';
  import { attempt } from '$lib/state/attempt';
  import { apply } from '$lib/state/undo';
  import { PALETTE, shade } from '$lib/ui/palette';
  import { grouped, hex, looking } from './looking.svelte';

  /** The calendars as layers: on or off, one alone, recoloured, kept together under a name. */
  const { calendars }: { calendars: Calendar[] } = $props();

  const queries = useQueryClient();
  const groups = $derived(grouped(calendars));
  const on = $derived(calendars.filter((calendar) => looking.isOn(calendar.id)));
  let first: HTMLDivElement;
  let painting = $state<Calendar | null>(null);
  let colour = $state('');
  let naming = $state(false);
  let setName = $state('');

  const warned = createQuery(() => ({
    queryKey: ['layer-warnings', on.map((calendar) => [calendar.id, hex(calendar)])],
    queryFn: () =>
      answer(
        client.GET('/api/layers/warnings', {
          params: { query: { calendar: on.map((one) => one.id), colour: on.map(hex) } },
        }),
      ),
    placeholderData: (previous) => previous,
  }));
  const trial = createQuery(() => ({
    queryKey: ['layer-warnings', 'trial', painting?.id, colour],
    queryFn: () => {
      const others = on.filter((one) => one.id !== painting?.id);
      const query = { calendar: [...others.map((one) => one.id), 0], colour: [...others.map(hex), colour] };
      return answer(client.GET('/api/layers/warnings', { params: { query } }));
    },
    enabled: painting !== null,
  }));
  const warning = (id: number) => warned.data?.find((one) => one.calendar === id)?.message ?? '';
  const trialWarning = $derived(trial.data?.find((one) => one.calendar === 0)?.message ?? '');

  export function focus(): void {
    first.querySelector<HTMLButtonElement>('button[data-name]')?.focus();
  }

  function paint(calendar: Calendar): void {
    painting = calendar;
    colour = hex(calendar);
  }

  async function recolour(): Promise<void> {
    const calendar = painting;
    if (!calendar) return;
    await attempt(async () => {
      const body = { name: calendar.name, tint: colour, zone: calendar.zone, description: calendar.description };
      const params = { path: { calendar_id: calendar.id } };
      const made = await answer(client.PUT('/api/calendars/{calendar_id}', { params, body }));
      await apply(made.set_id);
      painting = null;
      await refreshAll(queries);
    });
  }

  function stepped(event: KeyboardEvent, calendar: Calendar): void {
    const all = [...first.querySelectorAll<HTMLButtonElement>('button[data-name]')];
    const at = all.indexOf(event.currentTarget as HTMLButtonElement);
    if (event.key === 'ArrowRight') all[at + 1]?.focus();
    else if (event.key === 'ArrowLeft') all[at - 1]?.focus();
    else if (event.key === 'o') looking.only(calendar.id, calendars);
    else if (event.key === 'c') paint(calendar);
    else return;
    event.preventDefault();
    event.stopPropagation();
  }
</script>

<div
  bind:this={first}
  role="toolbar"
  aria-label="Layers"
  class="border-line flex shrink-0 flex-wrap items-center gap-x-1.5 gap-y-1 border-b px-4 py-1.5 text-[13px]"
>
  {#each groups as group (group.account)}
    <span class="text-soft ml-1 text-[12px] first:ml-0">{group.account}</span>
    {#each group.calendars as calendar (calendar.id)}
      {@const shown = looking.isOn(calendar.id)}
      <span
        data-layer={calendar.id}
        class="group border-line flex h-6 items-center border {shown ? 'bg-sheet' : 'text-soft border-dashed'}"
      >
        <button
          class="border-line h-full w-3.5 border-r"
          style:background={shown ? shade(calendar) : 'transparent'}
          aria-label="Colour of {calendar.label}"
          title={warning(calendar.id) ? `Colour: ${warning(calendar.id)}` : 'Give it another colour (c)'}
          tabindex="-1"
          onclick={() => paint(calendar)}
        ></button>
        <button
          data-name
          aria-pressed={shown}
          class="hover:text-brass px-1.5"
          title="{calendar.state}; Space: on or off, o: only this one, c: colour"
          onclick={() => looking.toggle(calendar.id)}
          onkeydown={(event) => stepped(event, calendar)}
          >{calendar.name}{#if shown && warning(calendar.id)}<span class="text-changed" title={warning(calendar.id)}>
              ≈</span
            >{/if}</button
        >
        <button
          class="text-soft hover:text-brass border-line h-full border-l px-1 text-[11px]"
          aria-label="only {calendar.label}"
          title="Only this layer; once more: as before"
          tabindex="-1"
          onclick={() => looking.only(calendar.id, calendars)}>only</button
        >
      </span>
    {/each}
  {/each}
  {#if on.length < calendars.length}
    <button class="text-changed px-1 font-bold underline" title="All layers back (b)" onclick={() => looking.allBack()}
      >{calendars.length - on.length} of {calendars.length} off: show all</button
    >
  {/if}
  <span class="text-soft ml-auto text-[12px]">Sets</span>
  {#each looking.sets.slice(0, 9) as set, k (set.name)}
    <button
      class="border-line hover:text-brass bg-sheet h-6 border px-1.5"
      title="Show this set of layers (Shift+{k + 1})"
      onclick={() => looking.show(set, calendars)}
      >{set.name}<kbd class="figures text-soft ml-1 text-[11px]">⇧{k + 1}</kbd></button
    >
  {/each}
  <button class="text-brass px-1 underline" onclick={() => (naming = true)}>keep these…</button>
</div>

{#if painting}
  <Sheet label="Another colour" onclose={() => (painting = null)}>
    <h2 class="mb-2 text-base font-bold">Colour of {painting.label}</h2>
    <div class="mb-3 flex flex-wrap items-center gap-1">
      {#each PALETTE as one (one)}
        <button
          class="h-7 w-7 border-2 {colour === one ? 'border-ink' : 'border-line'}"
          style:background={one}
          aria-label={one}
          aria-pressed={colour === one}
          onclick={() => (colour = one)}
        ></button>
      {/each}
      <input type="color" bind:value={colour} aria-label="Any colour" class="ml-2 h-7 w-10" />
    </div>
    <p
      class="border-line mb-2 border-l-4 px-2 py-1"
      style:border-color={colour}
      style:background="color-mix(in srgb, {colour} 16%, var(--sheet))"
    >
      An event of this layer
    </p>
    <p class={trialWarning ? 'text-changed' : 'text-soft'}>
      {trialWarning ? `This colour is ${trialWarning}.` : 'It can be told from the other layers that are on.'}
    </p>
    {#snippet actions()}
      <Action kind="main" onclick={() => void recolour()}>Give {painting?.name} this colour</Action>
    {/snippet}
  </Sheet>
{/if}

{#if naming}
  <Sheet label="Keep these layers" onclose={() => (naming = false)}>
    <h2 class="mb-2 text-base font-bold">Keep the {on.length} layers that are on as a set</h2>
    <label class="block">
      Name
      <input
        class="border-line bg-paper ml-2 border px-2 py-1"
        bind:value={setName}
        placeholder="Berths and expeditions"
      />
    </label>
    {#if looking.sets.length}
      <p class="text-soft mt-3 mb-1">Kept already; each has a key, in order of the names:</p>
      <ul>
        {#each looking.sets as set, k (set.name)}
          <li class="flex gap-3">
            <span class="figures">⇧{k + 1}</span>{set.name}<span class="text-soft">{set.on.length} layers</span>
            <button class="text-removed ml-auto underline" onclick={() => void looking.forgetSet(set.name)}
              >forget</button
            >
          </li>
        {/each}
      </ul>
    {/if}
    {#snippet actions()}
      <Action
        kind="main"
        disabled={!setName.trim()}
        onclick={() =>
          void attempt(async () => {
            await looking.keepSet(setName, calendars);
            naming = false;
            setName = '';
          })}>Keep this set</Action
      >
    {/snippet}
  </Sheet>
{/if}
