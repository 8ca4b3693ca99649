<script lang="ts">
  import type { Calendar, Schemas } from '$lib/api/client';
  import Block from './Block.svelte';
  import { weekday, weekOf, type Piece } from './layout';
  import { walking } from '$lib/state/focus';
  import { looking } from '$lib/state/looking.svelte';

  /** Whole weeks of a month, each with its ISO number; drawing over days makes a whole-day entry. */
  type Props = {
    days: Schemas['DayOut'][];
    month: string;
    byId: Map<number, Calendar>;
    overlapping: Set<string>;
    opened: string;
    picked: string[] | null;
    onopen: (piece: Piece) => void;
    oncrowd: (day: string) => void;
    onday: (day: string) => void;
    onedge: (by: 1 | -1) => void;
    onweek: (day: string) => void;
    ondraw: (first: string, last: string) => void;
  };
  const p: Props = $props();

  const weeks = $derived(
    Array.from({ length: Math.ceil(p.days.length / 7) }, (_, k) => p.days.slice(k * 7, k * 7 + 7)),
  );
  let grid: HTMLDivElement;
  let high = $state(600);

  let from = $state<string | null>(null);
  let to = $state<string | null>(null);
  const drawn = $derived(from && to ? ([from, to].sort() as [string, string]) : null);

  function dayAt(event: PointerEvent): string | null {
    const cell = document.elementFromPoint(event.clientX, event.clientY)?.closest<HTMLElement>('[data-day]');
    return cell?.dataset.day ?? null;
  }

  /** How many lines of 18 pixels there are below a date. */
  const lines = $derived(Math.max(1, Math.floor((high / Math.max(1, weeks.length) - 21) / 18)));
</script>

<div class="flex min-h-0 flex-1 flex-col">
  <div
    class="border-ink grid shrink-0 border-b text-[12px] font-bold"
    style:grid-template-columns="44px repeat(7, 1fr)"
  >
    <span class="text-soft px-1 font-normal">week</span>
    {#each ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday'] as name (name)}
      <span class="border-line border-l px-1.5">{name}</span>
    {/each}
  </div>
  <!-- svelte-ignore a11y_no_noninteractive_tabindex (drawing by pointer; the typed line does the same by key) -->
  <div
    bind:this={grid}
    bind:clientHeight={high}
    class="grid min-h-0 flex-1"
    role="region"
    aria-label="Month"
    tabindex="0"
    data-rest
    {@attach walking('button', (by) => p.onedge(by))}
    style:grid-template-rows="repeat({weeks.length}, minmax(0, 1fr))"
    onpointerdown={(event) => {
      if (event.button !== 0 || event.pointerType === 'touch' || (event.target as HTMLElement).closest('button'))
        return;
      from = to = dayAt(event);
    }}
    onpointermove={(event) => from && (to = dayAt(event) ?? to)}
    onpointerup={() => {
      if (drawn) p.ondraw(...drawn);
      from = to = null;
    }}
    onpointerleave={() => (from = to = null)}
  >
    {#each weeks as week (week[0]?.date)}
      {@const { drawn: pieces, more } = weekOf(week, lines)}
      <div
        class="border-line grid min-h-0 border-b"
        style:grid-template-columns="44px repeat(7, minmax(0, 1fr))"
        style:grid-template-rows="20px repeat({lines}, 18px) minmax(0, 1fr)"
      >
        <button
          class="text-soft hover:text-brass figures row-span-full px-1 text-left text-[12px]"
          title="Show this week"
          onclick={() => week[0] && p.onweek(week[0].date)}>{week[0]?.week.slice(5)}</button
        >
        {#each week as day, column (day.date)}
          {@const other = day.date.slice(0, 7) !== p.month}
          {@const chosen = p.picked?.includes(day.date)}
          {@const inside = drawn && day.date >= drawn[0] && day.date <= drawn[1]}
          <div
            data-day={day.date}
            class="border-line row-span-full min-w-0 overflow-hidden border-l
              {chosen || inside ? 'bg-picked' : other || !looking.worked.includes(weekday(day.date)) ? 'bg-shade' : ''}"
            style:grid-column={column + 2}
          >
            <div class="flex h-5 items-baseline gap-1 px-1.5">
              <button
                class="hover:text-brass figures text-[13px] {day.today
                  ? 'font-bold underline'
                  : other
                    ? 'text-soft'
                    : ''}"
                aria-label="{day.name}, {day.total} occurrences"
                aria-pressed={p.picked ? chosen : undefined}
                onclick={() => p.onday(day.date)}>{Number(day.date.slice(8))}</button
              >
              {#if day.today}<strong class="text-[11px]">today</strong>{/if}
              {#if day.change}<span class="text-changed truncate text-[10px] font-bold" title={day.change}
                  >{day.change}</span
                >{/if}
            </div>
          </div>
        {/each}
        {#each pieces as one (`${one.piece.key} ${one.column}`)}
          <div
            class="mx-0.5 mb-px min-w-0"
            style:grid-column="{one.column + 2} / span {one.days}"
            style:grid-row={one.line + 2}
          >
            <Block
              piece={one.piece}
              short
              calendar={p.byId.get(one.piece.calendar)}
              overlaps={p.overlapping.has(one.piece.key)}
              opened={p.opened === one.piece.key}
              onopen={() => p.onopen(one.piece)}
            />
          </div>
        {/each}
        {#each week as day, column (day.date)}
          {#if more[column]}
            <button
              class="text-ink px-1.5 text-left text-[11px] leading-4 underline"
              style:grid-column={column + 2}
              style:grid-row={lines + 1}
              onclick={() => p.oncrowd(day.date)}>{more[column] === day.total ? '' : 'and '}{more[column]} more</button
            >
          {/if}
        {/each}
      </div>
    {/each}
  </div>
</div>
