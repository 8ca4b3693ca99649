<script lang="ts">
  import Action from '$lib/ui/Action.svelte';
  import { answer, client } from '$lib/api/client';
  import { toRest } from '$lib/state/focus';
  import { notices } from '$lib/state/notice.svelte';
  import { today } from '$lib/state/clock';
  import { looking, STEPS, type View } from '$lib/state/looking.svelte';
  import { SPANS, VIEWS } from './views';

  /** What is shown, as a sentence: which view, of which days, on which clocks, how finely divided. */
  type Props = {
    view: View;
    on: string;
    span: number;
    title: string;
    picking: boolean;
    /** The offset in force on the first day shown, of each clock. */
    offsets: string[];
    onshow: (changes: Record<string, string>) => void;
    onstep: (by: 1 | -1) => void;
    oncloser: (by: 1 | -1) => void;
    onlanes: () => void;
    onclocks: () => void;
  };
  let {
    view,
    on,
    span,
    title,
    picking = $bindable(),
    offsets,
    onshow,
    onstep,
    oncloser,
    onlanes,
    onclocks,
  }: Props = $props();

  let jumpText = $state('');
  let jumpInput = $state<HTMLInputElement>();
  async function jump(): Promise<void> {
    try {
      const query = { text: jumpText, zone: looking.zone };
      const found = await answer(client.GET('/api/phrases/date', { params: { query } }));
      jumpText = '';
      toRest();
      onshow({ on: found.day, view: view === 'picked' ? 'day' : view });
    } catch (error) {
      notices.wrong(error);
    }
  }

  export function focus(): void {
    jumpInput?.focus();
  }
</script>

<div class="flex shrink-0 items-center gap-x-2 gap-y-1 px-4 py-1 text-[13px] max-[1000px]:flex-wrap">
  {#if view !== 'picked'}<Action onclick={() => oncloser(-1)} hint="Zoom out (−)">−</Action>{/if}
  <select
    class="field-small w-[150px]"
    aria-label="View"
    value={view}
    onchange={(event) => onshow({ view: event.currentTarget.value })}
  >
    {#each VIEWS as one (one.view)}<option value={one.view}>{one.name}</option>{/each}
  </select>
  {#if view !== 'picked'}<Action onclick={() => oncloser(1)} hint="Zoom in (+)">+</Action>{/if}
  {#if view === 'agenda'}
    <select
      class="field-small"
      aria-label="Span"
      value={span}
      onchange={(event) => onshow({ span: event.currentTarget.value })}
    >
      {#each SPANS as one (one.days)}<option value={one.days}>{one.name}</option>{/each}
    </select>
  {/if}
  {#if view !== 'picked'}
    <Action onclick={() => onstep(-1)} hint="Previous (←)">‹</Action>
    <strong class="figures min-w-[150px] text-center text-[14px] whitespace-nowrap">
      {view === 'month' || view === 'year'
        ? view === 'year'
          ? on.slice(0, 4)
          : new Date(`${on}T12:00:00Z`).toLocaleDateString('en-GB', { month: 'long', year: 'numeric', timeZone: 'UTC' })
        : title}
    </strong>
    <Action onclick={() => onstep(1)} hint="Next (→)">›</Action>
    <Action onclick={() => onshow({ on: today() })} key=".">Today</Action>
    <form
      onsubmit={(event) => {
        event.preventDefault();
        void jump();
      }}
    >
      <input
        bind:this={jumpInput}
        bind:value={jumpText}
        class="field-small w-32"
        placeholder="3 jun, week 40 (j)"
        aria-label="Go to a day"
        onkeydown={(event) => event.key === 'Escape' && toRest()}
      />
    </form>
  {/if}
  <button
    class="text-brass min-w-0 flex-1 truncate text-left underline"
    onclick={onclocks}
    title="Clocks, working hours and days; offsets on the first day shown"
    >{looking.clocks.length > 1 ? 'clocks' : 'clock'}: {looking.clocks
      .map((clock, k) => `${clock.name}${offsets[k] ? ` ${offsets[k]}` : ''}`)
      .join(' · ')}</button
  >
  {#if !['month', 'year', 'agenda'].includes(view)}
    <label class="flex items-center gap-1"
      >by <select
        class="field-small"
        aria-label="Division of hours"
        value={looking.step}
        onchange={(event) => {
          looking.step = Number(event.currentTarget.value);
          looking.save();
        }}
      >
        {#each STEPS as minutes (minutes)}<option value={minutes}>{minutes} min</option>{/each}
      </select></label
    >
    <button
      class="text-brass underline"
      aria-pressed={looking.lanes}
      onclick={onlanes}
      title="Merged or side by side (v)">{looking.lanes ? 'side by side' : 'merged'}</button
    >
  {/if}
  {#if view === 'month' || view === 'year'}
    <label class="flex items-center gap-1"
      ><input type="checkbox" class="accent-brass" bind:checked={picking} />pick days by clicking</label
    >
  {/if}
</div>
