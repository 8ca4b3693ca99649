<script lang="ts">
  import { key, query } from '$lib/api/queries';
  import { onMount } from 'svelte';
  import { answer, client, type Calendar } from '$lib/api/client';
  import { oneLine, roving } from '$lib/state/focus';
  import { keys } from '$lib/state/keys.svelte';
  import { shade } from '$lib/ui/palette';
  import LayerColour from './LayerColour.svelte';
  import LayerPanel from './LayerPanel.svelte';
  import LayerSets from './LayerSets.svelte';
  import { grouped, hex, looking } from '$lib/state/looking.svelte';

  /** The calendars as layers, in one line: those that have room, all of them behind its first button. */
  const { calendars }: { calendars: Calendar[] } = $props();

  /** No line has room for more; and of more that are on nobody tells the colours apart. */
  const MOST = 40;
  const drawn = $derived(grouped(calendars).flatMap((group) => group.calendars));
  const on = $derived(calendars.filter((calendar) => looking.isOn(calendar.id)));
  let room = $state(0);
  let all = $state(false);
  let painting = $state<Calendar | null>(null);
  let naming = $state(false);

  const warned = query(() => ({
    queryKey: key(
      'layer-warnings',
      on.map((calendar) => [calendar.id, hex(calendar)]),
    ),
    queryFn: () =>
      answer(
        client.GET('/api/layers/warnings', {
          params: { query: { calendar: on.map((one) => one.id), colour: on.map(hex) } },
        }),
      ),
    placeholderData: (previous) => previous,
    enabled: on.length > 0 && on.length <= MOST,
  }));
  const warning = (id: number) => (on.length <= MOST && warned.data?.find((one) => one.calendar === id)?.message) || '';

  onMount(() =>
    keys.offer([
      {
        key: 'l',
        does: 'all layers: type a name, ↓ to go to it, Space to show or hide, o to show only it, c for its colour',
        aim: 'layers',
        run: () => (all = true),
      },
    ]),
  );
</script>

<div class="relative shrink-0">
  <div
    role="toolbar"
    aria-label="Layers"
    class="border-line flex h-9 items-center gap-1.5 border-b px-4 text-[13px]"
    {@attach roving()}
  >
    <button
      class="border-line bg-sheet hover:text-brass h-6 shrink-0 border px-1.5 font-medium"
      aria-expanded={all}
      title="All layers, by account (l)"
      onclick={() => (all = !all)}
      >Layers <span class="figures"
        >{on.length === calendars.length ? on.length : `${on.length} of ${calendars.length}`}</span
      ><kbd class="figures text-soft ml-1 text-[11px]">l</kbd></button
    >
    <div class="flex h-6 min-w-0 flex-1 flex-wrap gap-x-1.5 overflow-hidden" {@attach oneLine((fit) => (room = fit))}>
      {#each drawn.slice(0, MOST) as calendar (calendar.id)}
        {@const shown = looking.isOn(calendar.id)}
        <button
          data-layer={calendar.id}
          aria-pressed={shown}
          class="border-line hover:text-brass flex h-6 items-center border pr-1.5 {shown
            ? 'bg-sheet'
            : 'text-soft border-dashed'}"
          title="{calendar.label}, {calendar.state}; Space: on or off, o: only this one, c: colour{warning(calendar.id)
            ? `; its colour is ${warning(calendar.id)}`
            : ''}"
          onclick={() => looking.toggle(calendar.id)}
          onkeydown={(event) => {
            if (event.key === 'o') looking.only(calendar.id, calendars);
            else if (event.key === 'c') painting = calendar;
            else return;
            event.preventDefault();
            event.stopPropagation();
          }}
          ><span
            class="border-line mr-1.5 h-full w-3.5 border-r"
            style:background={shown ? shade(calendar) : 'transparent'}
          ></span><span class="max-w-32 truncate">{calendar.name}</span>{#if shown && warning(calendar.id)}<span
              class="text-changed">&nbsp;≈</span
            >{/if}</button
        >
      {/each}
    </div>
    {#if room < calendars.length}
      <button class="text-brass shrink-0 underline" onclick={() => (all = true)}>{calendars.length - room} more</button>
    {/if}
    {#if on.length < calendars.length}
      <button
        class="text-changed shrink-0 px-1 font-bold underline"
        title="Show all layers (b)"
        onclick={() => looking.allBack()}>{calendars.length - on.length} of {calendars.length} off: show all</button
      >
    {/if}
    {#each looking.sets.slice(0, 2) as set, k (set.name)}
      <button
        class="border-line hover:text-brass bg-sheet h-6 max-w-40 shrink-0 truncate border px-1.5"
        title="Show this set of layers (Shift+{k + 1})"
        onclick={() => looking.show(set, calendars)}
        >{set.name}<kbd class="figures text-soft ml-1 text-[11px]">⇧{k + 1}</kbd></button
      >
    {/each}
  </div>
  {#if all}
    <LayerPanel
      {calendars}
      {warning}
      onpaint={(one) => (painting = one)}
      onkeep={() => (naming = true)}
      onclose={() => (all = false)}
    />
  {/if}
</div>

{#if painting}
  <LayerColour
    layer={painting}
    others={on.filter((one) => one.id !== painting?.id).slice(0, MOST)}
    onclose={() => (painting = null)}
  />
{/if}
{#if naming}<LayerSets {calendars} onclose={() => (naming = false)} />{/if}
