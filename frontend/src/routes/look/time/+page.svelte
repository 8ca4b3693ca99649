<script lang="ts">
  import { choice, day, days as dayList, number, text, view as addressed, type Changes } from '$lib/state/view';
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { onMount, untrack } from 'svelte';
  import Action from '$lib/ui/Action.svelte';
  import Transfer from '$lib/look/Transfer.svelte';
  import { answer, client, type Fields, type Schemas } from '$lib/api/client';
  import { calendarsQuery, refreshAll } from '$lib/api/queries';
  import { attempt } from '$lib/state/attempt';
  import { keys } from '$lib/state/keys.svelte';
  import { notices } from '$lib/state/notice.svelte';
  import AskScope from '$lib/time/AskScope.svelte';
  import Across from '$lib/time/Across.svelte';
  import Clocks from '$lib/time/Clocks.svelte';
  import Editor from '$lib/time/Editor.svelte';
  import CutNote from '$lib/time/CutNote.svelte';
  import LayerStrip from '$lib/time/LayerStrip.svelte';
  import LineForm from '$lib/time/LineForm.svelte';
  import LookNav from '$lib/time/LookNav.svelte';
  import MonthGrid from '$lib/time/MonthGrid.svelte';
  import OccurrenceList from '$lib/time/OccurrenceList.svelte';
  import PickedLine from '$lib/time/PickedLine.svelte';
  import TimeGrid from '$lib/time/TimeGrid.svelte';
  import ViewLine from '$lib/time/ViewLine.svelte';
  import YearMap from '$lib/time/YearMap.svelte';
  import { VIEWS } from '$lib/time/views';
  import { daysBetween, hourLabel, later, localDay, monthLater, type Piece } from '$lib/time/layout';
  import { looking, type View } from '$lib/time/looking.svelte';
  import { counted } from '$lib/ui/words';

  type Occurrence = Schemas['OccurrenceOut'];
  const queries = useQueryClient();
  const calendars = calendarsQuery();
  const all = $derived(calendars.data ?? []);
  const byId = $derived(new Map(all.map((calendar) => [calendar.id, calendar])));
  const shown = $derived(looking.on(all));

  const ways = VIEWS.map((one) => one.view);
  const shape = {
    view: choice(ways, 'week'),
    on: day(localDay),
    span: number(31),
    filter: text,
    days: dayList,
    open: text,
  };
  const address = addressed('/look/time', shape);
  const asked = $derived(address.read(page.url.searchParams));
  const { view, on, span, filter, days: picked } = $derived(asked);

  function show(changes: Changes<typeof shape>, replaceState = false): void {
    void goto(address.address(page.url.searchParams, changes), { keepFocus: true, noScroll: true, replaceState });
  }

  // ---- what is asked for ---------------------------------------------------------------------------

  const month = $derived(on.slice(0, 7));
  // A month asks for as many as its cells can show, and two to choose from.
  const cellRows = Math.max(4, Math.min(16, Math.floor((window.innerHeight - 240) / 108) + 2));
  const MOST: Partial<Record<View, number>> = { day: 400, work: 120, month: cellRows, year: 0 };
  type Wanted = {
    view?: Exclude<View, 'agenda' | 'picked'>;
    on?: string;
    working?: number[];
    day?: string[];
    most: number;
  };
  const wholeMonth = $derived<Wanted>({ view: 'month', on: `${month}-01`, most: cellRows });
  const wanted = $derived.by((): Wanted => {
    if (view === 'month') return wholeMonth;
    if (view === 'agenda' || view === 'picked') return { day: picked, most: 90 };
    return { view, on, working: view === 'work' ? looking.worked : [], most: MOST[view] ?? 90 };
  });
  const ask = (asked: Wanted) => ({
    queryKey: ['days', asked, looking.others, shown],
    queryFn: () =>
      answer(
        client.GET('/api/days', {
          params: { query: { ...asked, zone: looking.zone, clock: looking.others, calendar: shown } },
        }),
      ),
    structuralSharing: false,
  });
  const days = createQuery(() => ({
    ...ask(wanted),
    enabled: looking.ready && calendars.isSuccess && view !== 'agenda' && (view !== 'picked' || picked.length > 0),
    placeholderData: (previous: Schemas['DaysOut'] | undefined) =>
      previous?.zone === looking.zone ? previous : undefined,
  }));
  const fits = $derived(days.data && !days.isPlaceholderData);
  const drawn = $derived(days.data?.days ?? []);
  const first = $derived(drawn[0]?.date ?? on);
  const count = $derived(daysBetween(first, drawn.at(-1)?.date ?? first) + 1);
  // The month around is fetched ahead while days of it are looked at: it is what is asked for next most often.
  $effect(() => {
    if (!fits || !['day', 'week', 'work'].includes(view)) return;
    const ahead = ask(wholeMonth);
    const timer = setTimeout(() => void queries.prefetchQuery(ahead), 200);
    return () => clearTimeout(timer);
  });
  const clashes = createQuery(() => ({
    queryKey: ['overlaps', 'marks', first, count, looking.zone, shown],
    queryFn: () =>
      answer(
        client.GET('/api/overlaps', {
          params: { query: { first, count, zone: looking.zone, calendar: shown, limit: 1 } },
        }),
      ),
    enabled: looking.ready && Boolean(fits) && marking && view !== 'year' && view !== 'picked' && view !== 'agenda',
  }));
  let marking = $state(true);
  const overlapping = $derived(new Set(marking ? (clashes.data?.keys ?? []) : []));
  let listed = $state(0);

  const title = $derived(
    view === 'agenda' ? `from ${on}` : `${days.data?.title ?? '…'} · ${days.data?.days[0]?.week.slice(5) ?? ''}`,
  );

  // ---- moving --------------------------------------------------------------------------------------

  function step(by: 1 | -1): void {
    if (view === 'month' || view === 'year') show({ on: monthLater(on, by * (view === 'year' ? 12 : 1)) });
    else show({ on: later(on, by * (view === 'day' ? 1 : view === 'agenda' ? span : 7)) });
  }

  let viewLine = $state<ViewLine>();
  function visit(day: string): void {
    if (picking) pick(day);
    else show({ view: 'day', on: day });
  }

  let picking = $state(false);
  let pickedLine: PickedLine | undefined = $state();
  function pick(day: string): void {
    const next = picked.includes(day) ? picked.filter((one) => one !== day) : [...picked, day].sort();
    show({ days: next.slice(0, 31).join(',') });
  }

  // ---- entries -------------------------------------------------------------------------------------

  let opened = $state<Occurrence | null>(null);
  let fresh = $state<Fields | null>(null);
  let copying = $state<{ entry: number; to?: number } | null>(null);
  let shifting = $state<{ piece: Piece; begin: number; end: number } | null>(null);
  let asking = $state<'clocks' | 'across' | null>(null);
  let drawnSpan = $state<{ first: string; last: string } | null>(null);
  const drawCalendar = $derived(
    all.find((one) => one.writable && looking.isOn(one.id))?.id ?? all.find((one) => one.writable)?.id ?? 0,
  );

  // An occurrence that is asked for by the address is opened as soon as its day is there.
  $effect(() => {
    const key = asked.open;
    const piece = key && days.data?.days.flatMap((day) => day.pieces).find((one) => one.key === key);
    if (piece)
      untrack(() => {
        open(piece);
        show({ open: '' }, true);
      });
  });

  function blank(changes: Partial<Fields>): Fields {
    const text = { title: '', rule: '', place: '', notes: '', link: '', conference: '', privacy: '', status: '' };
    const lists = { left_out: [], alarms: [], categories: [], attendees: [], attachments: [] };
    const rest = { whole: false, start: '', end: '', zone: looking.zone, busy: true, organizer: null, travel: 0 };
    return { ...text, ...lists, ...rest, ...changes };
  }

  function open(one: Occurrence): void {
    fresh = null;
    opened = one;
  }

  function draw(day: string, begin: number, end: number): void {
    opened = null;
    drawnSpan = { first: day, last: day };
    const close = end >= 1440 ? `${later(day, 1)}T${hourLabel(end - 1440)}` : `${day}T${hourLabel(end)}`;
    fresh = blank({ start: `${day}T${hourLabel(begin)}`, end: close });
  }

  function drawDays(from: string, to: string): void {
    opened = null;
    drawnSpan = { first: from, last: to };
    fresh = blank({ whole: true, zone: '', start: from, end: to });
  }

  function shut(): void {
    opened = null;
    fresh = null;
  }

  function shifted(piece: Piece, begin: number, end: number): void {
    if (!byId.get(piece.calendar)?.writable) {
      notices.say(`${byId.get(piece.calendar)?.label} can only be read. Drag the entry onto another layer to copy it.`);
    } else if (piece.series) shifting = { piece, begin, end };
    else void shift(piece, begin, end, 'one');
  }

  async function shift(piece: Piece, begin: number, end: number, scope: 'one' | 'following' | 'all'): Promise<void> {
    shifting = null;
    await attempt(async () => {
      const { entry, series, slot } = piece;
      const body = { entry, series, slot, begin, end, zone: looking.zone, scope };
      const done = await answer(client.POST('/api/shifts', { body }));
      opened = null;
      await refreshAll(queries);
      notices.say(`${done.title}. u takes it back.`);
    });
  }

  let lining = $state(false);
  let strip: LayerStrip | undefined = $state();

  onMount(() => {
    void attempt(() => looking.load());
    return keys.offer([
      ...VIEWS.map((one) => ({ key: one.key, does: `show ${one.name}`, run: () => show({ view: one.view }) })),
      { key: 'ArrowRight', does: 'the next ones', run: () => step(1) },
      { key: 'ArrowLeft', does: 'the ones before', run: () => step(-1) },
      { key: 't', does: 'today', run: () => show({ on: localDay() }) },
      { key: 'g', does: 'go to a day by typing it', run: () => viewLine?.focus() },
      { key: 'n', does: 'new event by a typed line', run: () => (lining = true) },
      { key: 'l', does: 'the layers: ← →, Space on or off, o only this, c colour', run: () => strip?.focus() },
      { key: 'b', does: 'all layers back', run: () => looking.allBack() },
      { key: 'v', does: 'layers merged, or side by side', run: () => lanes() },
      { key: '+', does: 'divide the hours more finely', run: () => looking.finer(1) },
      { key: '-', does: 'divide them less finely', run: () => looking.finer(-1) },
      { key: 'z', does: 'an hour across the clocks, before and after they change', run: () => (asking = 'across') },
      { key: 'x', does: 'what overlaps', run: () => void goto(`/look/overlaps?on=${on}`) },
      { key: 'Shift 1–9', does: 'show a kept set of layers' },
      { key: 'Alt ↑ ↓ ← →', does: 'move the entry in focus; with Shift, stretch it' },
      { key: 'Escape', does: 'close the drawer', run: shut },
    ]);
  });

  function lanes(): void {
    looking.lanes = !looking.lanes;
    looking.save();
  }

  function sets(event: KeyboardEvent): void {
    const digit = /^Digit([1-9])$/.exec(event.code);
    if (!digit || !event.shiftKey || (event.target as HTMLElement).closest('input, textarea, select')) return;
    const set = looking.sets[Number(digit[1]) - 1];
    if (!set) return;
    event.preventDefault();
    looking.show(set, all);
  }
</script>

<svelte:head><title>Time · Date Bridge</title></svelte:head>
<svelte:window onkeydowncapture={sets} />
<h1 class="visually-hidden">Look: time</h1>
<LookNav>
  <span class="figures" role="status">
    {counted(
      view === 'agenda' ? listed : (days.data?.total ?? 0),
      'occurrence',
      'occurrences',
    )}{#if overlapping.size && view !== 'year'}
      ·
      <a class="text-removed underline" href="/look/overlaps?on={first}&count={count}"
        >{counted(clashes.data?.total ?? 0, 'overlap', 'overlaps')}</a
      >{/if}
  </span>
  <Action onclick={() => (lining = !lining)} key="n">New…</Action>
</LookNav>

<ViewLine
  bind:this={viewLine}
  bind:picking
  {view}
  {on}
  {span}
  {title}
  offsets={days.data?.offsets ?? []}
  onshow={show}
  onstep={step}
  onlanes={lanes}
  onclocks={() => (asking = 'clocks')}
/>

<LayerStrip bind:this={strip} calendars={all} />

{#if lining}
  <LineForm calendars={all} usual={drawCalendar} onclose={() => (lining = false)} onmade={(day) => show({ on: day })} />
{/if}

{#if view === 'picked'}
  <PickedLine bind:this={pickedLine} {picked} onpick={(found) => show({ days: found.join(',') })} />
{/if}
{#if filter && view === 'agenda'}
  <p class="border-line border-b px-4 py-1">
    Only what matches <span class="figures">{filter}</span>
    <button class="text-brass ml-2 underline" onclick={() => show({ filter: '' })}>show all</button>
  </p>
{/if}

{#if view !== 'agenda'}<CutNote titles={days.data?.cut ?? []} />{/if}

<div class="flex min-h-0 flex-1">
  <div class="flex min-w-0 flex-1 flex-col">
    {#if calendars.isSuccess && !all.length}
      <div class="p-8">
        <p class="mb-3 text-base">There are no calendars yet. Bring one in to see when things happen.</p>
        <Action kind="main" href="/connect">Go to Connect</Action>
      </div>
    {:else if view === 'agenda'}
      {#if looking.ready && calendars.isSuccess}
        <OccurrenceList
          first={on}
          count={span}
          zone={looking.zone}
          calendars={shown}
          {filter}
          {byId}
          {overlapping}
          opened={opened?.key ?? ''}
          bind:total={listed}
          onopen={open}
        />
      {/if}
    {:else if view === 'picked' && !picked.length}
      <div class="text-soft p-6">
        <p class="mb-2 text-base">No days are picked yet.</p>
        <p>Say them in words above, or turn on “pick days by clicking” in a month or year.</p>
      </div>
    {:else if days.isError}
      <p class="text-removed p-6">{days.error.message}</p>
    {:else if !days.data}
      <p class="text-soft p-6" role="status">Fetching…</p>
    {:else if view === 'month'}
      <MonthGrid
        days={days.data.days}
        {month}
        {byId}
        {overlapping}
        opened={opened?.key ?? ''}
        picked={picking ? picked : null}
        onopen={open}
        oncrowd={(day) => show({ view: 'agenda', on: day, span: '1' })}
        onday={visit}
        onweek={(day) => show({ view: 'week', on: day })}
        ondraw={drawDays}
      />
    {:else if view === 'year'}
      <YearMap
        days={days.data.days}
        picked={picking ? picked : null}
        onday={visit}
        onmonth={(day) => show({ view: 'month', on: day })}
      />
    {:else}
      <TimeGrid
        days={days.data.days}
        now={days.data.now ?? null}
        {byId}
        lanes={looking.lanes ? shown : null}
        {overlapping}
        opened={opened?.key ?? ''}
        onopen={open}
        oncrowd={(day) => show({ view: 'agenda', on: day, span: '1' })}
        onday={(day) => show({ view: 'day', on: day })}
        ondraw={draw}
        onshift={shifted}
        onlayer={(piece, to) => (copying = { entry: piece.series || piece.entry, to })}
      />
    {/if}
    {#if picking && picked.length && view !== 'picked'}
      <div class="bg-shade border-ink flex items-center gap-3 border-t-2 px-4 py-2">
        <span class="figures flex-1 truncate">{picked.length} days picked: {picked.join(', ')}</span>
        <Action onclick={() => show({ days: '' })}>None</Action>
        <Action kind="main" onclick={() => show({ view: 'picked' })}>Show {picked.length} days side by side</Action>
      </div>
    {/if}
    {#if fresh && drawnSpan}
      <p class="border-line text-soft border-t px-4 py-1 text-[13px]">
        Drawn: {drawnSpan.first}{drawnSpan.last === drawnSpan.first ? '' : ` to ${drawnSpan.last}`}.
        <a
          class="text-brass underline"
          href="/look?filter={encodeURIComponent(
            drawnSpan.first === drawnSpan.last ? `on:${drawnSpan.first}` : `on:${drawnSpan.first}..${drawnSpan.last}`,
          )}">Show this span in the table</a
        >
      </p>
    {/if}
  </div>
  {#if opened || fresh}
    {#key opened?.key ?? fresh}
      <Editor
        target={opened
          ? { entry: opened.entry, series: opened.series, slot: opened.series ? opened.slot : null }
          : { entry: 0, series: 0, slot: null }}
        fresh={fresh ?? undefined}
        calendars={all}
        calendar={drawCalendar}
        onclose={shut}
        oncopy={(entry) => (copying = { entry })}
        ondone={shut}
      />
    {/key}
  {/if}
</div>

{#if asking === 'clocks'}
  <Clocks onclose={() => (asking = null)} />
{:else if asking === 'across'}
  <Across onclose={() => asking === 'across' && (asking = null)} onclocks={() => (asking = 'clocks')} />
{/if}
{#if copying}
  <Transfer
    selection={{ filter: '', excluded: [], only: [copying.entry] }}
    chosen={1}
    name="entry"
    to={copying.to}
    onclose={() => (copying = null)}
  />
{/if}
{#if shifting}
  {@const { piece, begin, end } = shifting}
  <AskScope
    {piece}
    {begin}
    {end}
    onclose={() => (shifting = null)}
    onchoose={(scope) => void shift(piece, begin, end, scope)}
  />
{/if}
