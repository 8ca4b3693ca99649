<script lang="ts">
  import { untrack } from 'svelte';
  import type { Calendar, Schemas } from '$lib/api/client';
  import Block from './Block.svelte';
  import { hourLabel, minutesOf, placed, weekday, type Piece } from './layout';
  import { looking } from '$lib/state/looking.svelte';
  import { roving, walking } from '$lib/state/focus';
  import { shade } from '$lib/ui/palette';

  /** Days side by side with their hours: clocks at the left, whole days in a lane above, a line for now. */
  type Props = {
    days: Schemas['DayOut'][];
    now: number | null;
    byId: Map<number, Calendar>;
    lanes: number[] | null;
    overlapping: Set<string>;
    opened: string;
    onopen: (piece: Piece) => void;
    oncrowd: (day: string) => void;
    onday: (day: string) => void;
    onedge: (by: 1 | -1) => void;
    ondraw: (day: string, start: number, end: number) => void;
    onshift: (piece: Piece, begin: number, end: number) => void;
    onlayer: (piece: Piece, layer: number) => void;
  };
  const p: Props = $props();

  /** How wide a clock's column of hours is. */
  const CLOCK = 50;
  /** How wide the strip is in which something long that blocks no time stands. */
  const STRIP = 17;
  const hour = $derived(looking.hourHeight);
  const height = $derived(hour * 24);
  const px = (minutes: number) => (minutes * hour) / 60;
  const whole = (day: Schemas['DayOut']) => day.pieces.filter((piece) => piece.row >= 0);
  const timed = (day: Schemas['DayOut']) => day.pieces.filter((piece) => piece.row < 0);
  /** Long and free: such as a duty all day, over which everything else happens. Shown as strips at the edge. */
  const beside = (piece: Piece) => p.lanes === null && piece.marks.includes('free') && piece.end - piece.start >= 180;
  const strips = (day: Schemas['DayOut']) => placed(timed(day).filter(beside), null, 1);
  const width = (day: Schemas['DayOut']) => {
    const found = strips(day);
    return found.length ? STRIP * Math.max(...found.map((one) => Math.round(1 / one.share))) : 0;
  };
  const rows = $derived(Math.max(0, ...p.days.flatMap((day) => whole(day).map((piece) => piece.row + 1))));
  const MOST_ROWS = 6;
  const shownRows = $derived(Math.min(rows, MOST_ROWS));
  const columns = $derived(
    `${looking.clocks.length * CLOCK}px repeat(${p.days.length}, minmax(${p.days.length > 7 ? 132 : 96}px, 1fr))`,
  );
  const first = $derived(p.days[0]);
  const weeks = $derived(new Set(p.days.map((day) => day.week)).size);

  /** The stretch of the display day in which a clock's working hours lie; two where it runs over midnight. */
  function worked(k: number): [number, number][] {
    const clock = looking.clocks[k];
    if (!clock) return [];
    const shift = first?.shifts[k] ?? 0;
    const from = minutesOf(clock.from) - shift;
    const to = minutesOf(clock.to) - shift;
    return [-1440, 0, 1440]
      .map((day): [number, number] => [Math.max(0, from + day), Math.min(1440, to + day)])
      .filter(([a, b]) => b > a);
  }

  /** Where the working hours of all clocks meet. */
  const common = $derived.by(() => {
    let found: [number, number][] = [[0, 1440]];
    for (let k = 0; k < looking.clocks.length; k++)
      found = found.flatMap(([a, b]) =>
        worked(k)
          .map(([c, d]): [number, number] => [Math.max(a, c), Math.min(b, d)])
          .filter(([c, d]) => d > c),
      );
    return found;
  });

  let scroller: HTMLDivElement;
  let wide = $state(1100);
  /** How wide something is drawn that has a part of a day's width. */
  const drawn = (part: number) => {
    const column = (wide - looking.clocks.length * CLOCK) / Math.max(1, p.days.length);
    return Math.max(column, p.days.length > 7 ? 132 : 96) * part;
  };
  let scrolled = false;
  $effect(() => {
    if (scrolled || !p.days.length) return;
    scrolled = true;
    untrack(() => scroller.scrollTo({ top: px(Math.max(0, minutesOf(looking.clocks[0]?.from ?? '08:00') - 60)) }));
  });

  // ---- drawing and dragging ---------------------------------------------------------------------

  type Drag = {
    kind: 'draw' | 'move' | 'stretch';
    piece: Piece | null;
    day: number;
    from: number;
    begin: number;
    end: number;
    toDay: number;
    went: boolean;
  };
  let drag = $state<Drag | null>(null);
  let area: HTMLDivElement;

  function at(event: PointerEvent): { day: number; minutes: number } {
    const box = area.getBoundingClientRect();
    const edge = looking.clocks.length * CLOCK;
    const width = (box.width - edge) / p.days.length;
    const day = Math.max(0, Math.min(p.days.length - 1, Math.floor((event.clientX - box.left - edge) / width)));
    return { day, minutes: Math.max(0, Math.min(1440, ((event.clientY - box.top) * 60) / hour)) };
  }
  const snapped = (minutes: number) => Math.floor(minutes / looking.step) * looking.step;

  function begin(event: PointerEvent): void {
    if (event.button !== 0 || event.pointerType === 'touch' || (event.target as HTMLElement).closest('button')) return;
    const { day, minutes } = at(event);
    const from = snapped(minutes);
    drag = { kind: 'draw', piece: null, day, from, begin: from, end: from + looking.step, toDay: day, went: false };
    area.setPointerCapture(event.pointerId);
  }

  function grab(event: PointerEvent, piece: Piece, day: number): void {
    if (event.button !== 0 || event.pointerType === 'touch') return;
    const box = (event.currentTarget as HTMLElement).getBoundingClientRect();
    const kind = piece.ends && box.bottom - event.clientY < 7 && box.height > 12 ? 'stretch' : 'move';
    const { minutes } = at(event);
    drag = { kind, piece, day, from: minutes, begin: piece.start, end: piece.end, toDay: day, went: false };
    area.setPointerCapture(event.pointerId);
  }

  function follow(event: PointerEvent): void {
    if (!drag) return;
    const { day, minutes } = at(event);
    if (drag.kind === 'draw') {
      const to = snapped(minutes);
      [drag.begin, drag.end] = to < drag.from ? [to, drag.from + looking.step] : [drag.from, to + looking.step];
      drag.went ||= to !== drag.from;
    } else if (drag.piece) {
      const by = Math.round((minutes - drag.from) / looking.step) * looking.step;
      if (drag.kind === 'move') {
        [drag.begin, drag.end, drag.toDay] = [drag.piece.start + by, drag.piece.end + by, day];
        drag.went ||= by !== 0 || day !== drag.day || outside(event) !== null;
      } else {
        drag.end = Math.max(drag.piece.start + looking.step, drag.piece.end + by);
        drag.went ||= by !== 0;
      }
    }
  }

  /** The layer under the pointer, where it was dragged out of the hours onto the strip. */
  function outside(event: PointerEvent): number | null {
    const layer = document.elementFromPoint(event.clientX, event.clientY)?.closest<HTMLElement>('[data-layer]');
    return layer ? Number(layer.dataset.layer) : null;
  }

  function drop(event: PointerEvent): void {
    const done = drag;
    drag = null;
    if (!done) return;
    if (done.kind === 'draw') {
      const day = p.days[done.day];
      if (day && done.went) p.ondraw(day.date, done.begin, done.end);
      return;
    }
    if (!done.piece) return;
    if (!done.went) return p.onopen(done.piece);
    const layer = outside(event);
    if (layer !== null) return p.onlayer(done.piece, layer);
    const from = p.days[done.day]?.date ?? '';
    const to = p.days[done.toDay]?.date ?? '';
    const days = (Date.parse(to) - Date.parse(from)) / 60_000;
    if (done.kind === 'move') {
      const by = done.begin - done.piece.start + days;
      if (by) p.onshift(done.piece, by, by);
    } else p.onshift(done.piece, 0, done.end - done.piece.end);
  }

  /** The same by keys: Alt and arrows move, with Shift stretch. */
  function press(event: KeyboardEvent, piece: Piece): void {
    const steps: Record<string, number> = {
      ArrowUp: -looking.step,
      ArrowDown: looking.step,
      ArrowLeft: -1440,
      ArrowRight: 1440,
    };
    const by = steps[event.key];
    if (!event.altKey || by === undefined) return;
    event.preventDefault();
    p.onshift(piece, event.shiftKey ? 0 : by, by);
  }
</script>

<!-- svelte-ignore a11y_no_noninteractive_tabindex (hours that scroll must be reached by key) -->
<div
  bind:this={scroller}
  bind:clientWidth={wide}
  class="gutter relative min-h-0 flex-1 overflow-auto"
  role="region"
  aria-label="Hours"
  tabindex="0"
  data-rest
  {@attach walking('button[data-key]', (by) => p.onedge(by))}
  {@attach roving('button[data-head]')}
>
  <div class="bg-paper border-ink sticky top-0 z-[3] grid min-w-max border-b" style:grid-template-columns={columns}>
    <div class="bg-paper sticky left-0 z-[1] flex items-end">
      {#each looking.clocks as clock, k (k)}
        <span
          class="w-[50px] truncate pr-1 text-right text-[11px] tracking-tight {k ? 'text-soft' : 'font-bold'}"
          title={clock.zone}>{clock.name}</span
        >
      {/each}
    </div>
    {#each p.days as day (day.date)}
      <div class="border-line border-l px-1.5 pt-1 {day.today ? 'bg-picked' : ''}">
        <button data-head class="hover:text-brass flex w-full items-baseline gap-2" onclick={() => p.onday(day.date)}>
          <span class="whitespace-nowrap {day.today ? 'font-bold' : ''}">{day.name}</span>
          {#if weeks > 1 && drawn(1) > 118}<span class="text-soft figures text-[11px]">{day.week.slice(5)}</span>{/if}
          {#if drawn(1) > 118}<span class="text-soft figures ml-auto text-[11px]">{day.total || ''}</span>{/if}
        </button>
        {#if day.change}<p class="text-changed text-[11px] leading-3 font-bold">{day.change}</p>{/if}
        <div class="relative" style:height="{shownRows * 19 + 2}px">
          {#each whole(day).filter((piece) => piece.row < MOST_ROWS) as piece (piece.key)}
            <div class="absolute inset-x-0 h-[17px]" style:top="{piece.row * 19}px">
              <Block
                {piece}
                short
                calendar={p.byId.get(piece.calendar)}
                overlaps={p.overlapping.has(piece.key)}
                opened={p.opened === piece.key}
                onopen={() => p.onopen(piece)}
                onkeydown={(event) => press(event, piece)}
              />
            </div>
          {/each}
        </div>
        {#if p.lanes && p.lanes.length > 1}
          <div class="flex h-4 pr-1.5 text-[10px] leading-4" aria-hidden="true">
            {#each p.lanes as id (id)}
              {@const layer = p.byId.get(id)}
              <span
                class="min-w-0 flex-1 truncate border-t-3 px-0.5"
                style:border-color={layer ? shade(layer) : 'var(--line)'}
                title={layer?.label}>{drawn(1 / p.lanes.length) > 34 ? layer?.name : ''}</span
              >
            {/each}
          </div>
        {/if}
        {#if day.more || rows > MOST_ROWS}
          {@const hidden = day.more + whole(day).filter((piece) => piece.row >= MOST_ROWS).length}
          {#if hidden}
            <button class="text-ink block text-[11px] leading-4 underline" onclick={() => p.oncrowd(day.date)}
              >and {hidden} more</button
            >
          {/if}
        {/if}
      </div>
    {/each}
  </div>
  <!-- svelte-ignore a11y_no_static_element_interactions (drawing by pointer; the typed line does the same by key) -->
  <div
    bind:this={area}
    class="relative grid min-w-max"
    style:grid-template-columns={columns}
    style:height="{height}px"
    onpointerdown={begin}
    onpointermove={follow}
    onpointerup={drop}
    onpointercancel={() => (drag = null)}
  >
    <div class="bg-paper sticky left-0 z-[2]">
      {#each looking.clocks as _clock, k (k)}
        {#each worked(k) as [from, to] (from)}
          <div
            class="bg-sheet border-line absolute w-[46px] border-r-2"
            style:left="{k * CLOCK + 2}px"
            style:top="{px(from)}px"
            style:height="{px(to - from)}px"
          ></div>
        {/each}
        {#each { length: 24 } as _, h (h)}
          <span
            class="figures absolute w-[46px] pr-1 text-right text-[11px] {k ? 'text-soft' : ''}"
            style:left="{k * CLOCK}px"
            style:top="{px(h * 60) - (h ? 8 : 0)}px">{hourLabel(h * 60 + (first?.shifts[k] ?? 0))}</span
          >
        {/each}
      {/each}
    </div>
    {#each p.days as day, d (day.date)}
      {@const edge = width(day)}
      {@const off = !looking.worked.includes(weekday(day.date))}
      <div
        class="border-line relative overflow-hidden border-l {off ? 'bg-shade' : ''}"
        style:background-image="repeating-linear-gradient(var(--line) 0 1px, transparent 1px {hour}px)"
        data-day={day.date}
      >
        {#if !off}
          {#each common as [from, to] (from)}
            <div
              class="pointer-events-none absolute inset-x-0 {looking.clocks.length > 1
                ? 'bg-picked opacity-60'
                : 'bg-sheet opacity-70'}"
              style:top="{px(from)}px"
              style:height="{px(to - from)}px"
            ></div>
          {/each}
        {/if}
        {#each strips(day) as { piece, left } (piece.key)}
          <div
            class="absolute"
            style:left="{left * edge}px"
            style:width="{STRIP - 1}px"
            style:top="{px(piece.start)}px"
            style:height="{px(piece.end - piece.start) - 1}px"
          >
            <Block
              {piece}
              strip
              calendar={p.byId.get(piece.calendar)}
              overlaps={p.overlapping.has(piece.key)}
              opened={p.opened === piece.key}
              onopen={() => p.onopen(piece)}
              onkeydown={(event) => press(event, piece)}
              onpointerdown={(event) => grab(event, piece, d)}
            />
          </div>
        {/each}
        {#each placed( timed(day).filter((piece) => !beside(piece)), p.lanes, 60 / Math.max(1, hour / 18) ) as { piece, left, width } (piece.key)}
          {@const moving = drag?.piece?.key === piece.key && drag.went}
          {@const at = `calc(${edge}px + (100% - ${edge + 6}px) * ${left})`}
          {#if piece.travel && piece.begins}
            <div
              class="border-soft pointer-events-none absolute border-l-2 border-dotted"
              style:left={at}
              style:top="{px(piece.start - piece.travel)}px"
              style:height="{px(piece.travel)}px"
              title="on the way"
            ></div>
          {/if}
          <div
            class="absolute"
            style:left={at}
            style:width="calc((100% - {edge + 6}px) * {width} - 2px)"
            style:top="{px(piece.start)}px"
            style:height="{Math.max(15, px(piece.end - piece.start) - 1)}px"
            style:opacity={moving ? 0.4 : 1}
          >
            <Block
              {piece}
              calendar={p.byId.get(piece.calendar)}
              overlaps={p.overlapping.has(piece.key)}
              opened={p.opened === piece.key}
              detail={px(piece.end - piece.start) > 44 && drawn(width) > 56}
              strip={drawn(width) < 46 && px(piece.end - piece.start) > 40}
              narrow={drawn(width) < 58}
              wide={drawn(width) > 112}
              short={px(piece.end - piece.start) < 31}
              onopen={() => p.onopen(piece)}
              onkeydown={(event) => press(event, piece)}
              onpointerdown={(event) => grab(event, piece, d)}
            />
          </div>
        {/each}
        {#if drag?.went && drag.toDay === d}
          <div
            class="border-brass bg-picked/80 pointer-events-none absolute inset-x-0.5 z-[1] border-2 px-1"
            style:top="{px(drag.begin)}px"
            style:height="{px(drag.end - drag.begin)}px"
          >
            <span class="figures text-[11px]">{hourLabel(drag.begin)}–{hourLabel(drag.end)}</span>
          </div>
        {/if}
        {#if day.today && p.now !== null}
          <div
            class="border-removed pointer-events-none absolute inset-x-0 z-[2] border-t-2"
            style:top="{px(p.now)}px"
            title="now"
          ></div>
        {/if}
      </div>
    {/each}
  </div>
</div>
