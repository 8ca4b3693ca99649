<script lang="ts">
  import type { Calendar } from '$lib/api/client';
  import { drawer, walking } from '$lib/state/focus';
  import { shade } from '$lib/ui/palette';
  import { grouped, looking } from '$lib/state/looking.svelte';

  /** Every layer, by account: found by what is typed, on or off one by one or by account, alone, recoloured. */
  type Props = {
    calendars: Calendar[];
    warning: (id: number) => string;
    onpaint: (calendar: Calendar) => void;
    onkeep: () => void;
    onclose: () => void;
  };
  const { calendars, warning, onpaint, onkeep, onclose }: Props = $props();
  let text = $state('');
  let rows: HTMLDivElement;
  const words = $derived(text.toLowerCase().split(/\s+/).filter(Boolean));
  const found = $derived(
    calendars.filter((one) => {
      const name = `${one.label} ${one.account}`.toLowerCase();
      return words.every((word) => name.includes(word));
    }),
  );
  const groups = $derived(grouped(found));
  const on = (some: Calendar[]) => some.filter((one) => looking.isOn(one.id)).length;
  const ids = (some: Calendar[]) => some.map((one) => one.id);

  function typed(event: KeyboardEvent): void {
    if (event.key === 'ArrowDown') rows.querySelector<HTMLElement>('button[data-name]')?.focus();
    else if (event.key === 'Enter' && words.length && found.length) looking.onlyThese(ids(found), calendars);
    else return;
    event.preventDefault();
  }

  function stepped(event: KeyboardEvent, calendar: Calendar): void {
    if (event.key === 'o') looking.only(calendar.id, calendars);
    else if (event.key === 'c') onpaint(calendar);
    else return;
    event.preventDefault();
    event.stopPropagation();
  }
</script>

<aside
  {@attach drawer(() => onclose())}
  aria-label="All layers"
  class="bg-sheet border-ink absolute top-full left-2 z-20 flex max-h-[min(560px,calc(100dvh-220px))] w-[520px] max-w-[calc(100vw-16px)] flex-col border-2 text-[13px] shadow-lg"
>
  <div class="border-line flex flex-wrap items-center gap-2 border-b p-2">
    <input
      data-first
      class="field-small min-w-0 flex-1"
      aria-label="Find a layer"
      placeholder="a name or an account; Enter: only these"
      bind:value={text}
      onkeydown={typed}
    />
    <span class="text-soft figures" role="status">{on(found)} of {found.length} on</span>
    <button class="text-brass underline" onclick={() => looking.turn(ids(found), true)}>all on</button>
    <button class="text-brass underline" onclick={() => looking.turn(ids(found), false)}>all off</button>
    <button class="text-brass underline" onclick={onkeep}
      >{looking.sets.length ? `sets: ${looking.sets.length}…` : 'save as a set…'}</button
    >
    <button class="text-brass underline" title="Esc" onclick={onclose}>Close</button>
  </div>
  <div
    bind:this={rows}
    class="min-h-0 flex-1 overflow-y-auto"
    role="group"
    aria-label="Layers found"
    {@attach walking('button[data-name], button[data-all]')}
  >
    {#each groups as group (group.account)}
      <div class="bg-shade sticky top-0 flex items-baseline gap-2 px-2 py-0.5">
        <strong class="truncate">{group.account}</strong>
        <span class="text-soft figures">{on(group.calendars)} of {group.calendars.length}</span>
        <button
          data-all
          class="text-brass ml-auto underline"
          aria-label="{on(group.calendars) ? 'All off' : 'All on'}: {group.account}"
          onclick={() => looking.turn(ids(group.calendars), !on(group.calendars))}
          >{on(group.calendars) ? 'all off' : 'all on'}</button
        >
      </div>
      {#each group.calendars as calendar (calendar.id)}
        {@const shown = looking.isOn(calendar.id)}
        <div class="border-line flex h-7 items-center gap-2 border-b px-2 {shown ? '' : 'text-soft'}">
          <button
            class="border-line h-4 w-4 shrink-0 border"
            style:background={shown ? shade(calendar) : 'transparent'}
            aria-label="Colour of {calendar.label}"
            title={warning(calendar.id) ? `Colour: ${warning(calendar.id)}` : 'Change the colour (c)'}
            tabindex="-1"
            onclick={() => onpaint(calendar)}
          ></button>
          <button
            data-name
            class="hover:text-brass min-w-0 flex-1 truncate text-left"
            aria-pressed={shown}
            title="{calendar.state}; Space: on or off, o: only this one, c: colour"
            onclick={() => looking.toggle(calendar.id)}
            onkeydown={(event) => stepped(event, calendar)}>{calendar.name}</button
          >
          {#if shown && warning(calendar.id)}<span class="text-changed truncate text-[12px]"
              >≈ {warning(calendar.id)}</span
            >{/if}
          <span class="shrink-0 text-[12px]">{shown ? 'on' : 'off'}</span>
          <button
            class="text-brass shrink-0 underline"
            aria-label="only {calendar.label}"
            title="Only this layer; once more: as before"
            tabindex="-1"
            onclick={() => looking.only(calendar.id, calendars)}>only</button
          >
        </div>
      {/each}
    {:else}
      <p class="text-soft p-3">No layer has this name.</p>
    {/each}
  </div>
</aside>
