<script lang="ts">
  import { choice, day, days as dayList, number, text, view as addressed, type Changes } from '$lib/state/view';
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { onMount, tick, untrack } from 'svelte';
  import Action from '$lib/ui/Action.svelte';
  import Transfer from '$lib/look/Transfer.svelte';
  import type { Fields, Schemas } from '$lib/api/client';
  import { accountsQuery, calendarsQuery } from '$lib/api/queries';
  import { keepInAddress } from '$lib/state/address';
  import { attempt } from '$lib/state/attempt.svelte';
  import { unsaved } from '$lib/state/unsaved.svelte';
  import { asking as question, keys } from '$lib/state/keys.svelte';
  import Across from '$lib/time/Across.svelte';
  import Clocks from '$lib/time/Clocks.svelte';
  import Editor from '$lib/time/Editor.svelte';
  import CutNote from '$lib/time/CutNote.svelte';
  import LayersOff from '$lib/time/LayersOff.svelte';
  import LayerStrip from '$lib/time/LayerStrip.svelte';
  import LineForm from '$lib/time/LineForm.svelte';
  import { ofDays, ofHours } from '$lib/time/draft';
  import LookNav from '$lib/time/LookNav.svelte';
  import MonthGrid from '$lib/time/MonthGrid.svelte';
  import NothingPicked from '$lib/time/NothingPicked.svelte';
  import OccurrenceList from '$lib/time/OccurrenceList.svelte';
  import PickedLine from '$lib/time/PickedLine.svelte';
  import Shifting from '$lib/time/Shifting.svelte';
  import TimeGrid from '$lib/time/TimeGrid.svelte';
  import ViewLine from '$lib/time/ViewLine.svelte';
  import YearMap from '$lib/time/YearMap.svelte';
  import { SCALE, SPANS, VIEWS } from '$lib/time/views';
  import { daysOf } from '$lib/time/days.svelte';
  import { today } from '$lib/state/clock';
  import { later, monthLater } from '$lib/time/layout';
  import { looking, type View } from '$lib/state/looking.svelte';
  import { counted } from '$lib/ui/words';

  type Occurrence = Schemas['OccurrenceOut'];
  const calendars = calendarsQuery();
  accountsQuery(); // whoever copies can type the name of an account at once
  const all = $derived(calendars.data ?? []);
  const byId = $derived(new Map(all.map((calendar) => [calendar.id, calendar])));
  const shown = $derived(looking.on(all));

  const ways = VIEWS.map((one) => one.view);
  const shape = {
    view: choice(ways, 'week'),
    on: day(today),
    span: number(31),
    filter: text,
    days: dayList,
    open: text,
  };
  const address = addressed('/look/time', shape);
  const asked = $derived(address.read(page.url.searchParams));
  const { view, on, span, filter, days: picked } = $derived(asked);

  function show(changes: Changes<typeof shape>, replaceState = false): void {
    void keepInAddress(address.address(page.url.searchParams, changes), replaceState);
  }

  // ---- what is asked for ---------------------------------------------------------------------------

  const month = $derived(on.slice(0, 7));
  const drawn = daysOf(() => ({ view, on, picked, shown, known: calendars.isSuccess }));
  const days = $derived(drawn.query);
  let listed = $state(0);

  const title = $derived(
    view === 'agenda' ? `from ${on}` : `${days.data?.title ?? '…'} · ${days.data?.days[0]?.week.slice(5) ?? ''}`,
  );

  // ---- moving --------------------------------------------------------------------------------------

  function step(by: 1 | -1): void {
    if (view === 'month' || view === 'year') show({ on: monthLater(on, by * (view === 'year' ? 12 : 1)) });
    else show({ on: later(on, by * (view === 'day' ? 1 : view === 'agenda' ? span : 7)) });
  }

  /** One scale from years to hours: `+` goes nearer on it, `-` farther. A list has its spans, picked days their hours. */
  function closer(by: 1 | -1): void {
    if (view === 'agenda') {
      const at = SPANS.findIndex((one) => one.days >= span);
      const next = SPANS[(at < 0 ? SPANS.length : at) - by];
      return next && show({ span: String(next.days) });
    }
    const next = SCALE[SCALE.indexOf(view === 'work' ? 'week' : view) + by];
    const inHours = view === 'picked' || (view === 'day' && (by > 0 || looking.step < 30));
    if (inHours) looking.finer(by);
    else if (next) show({ view: next });
  }

  /** The view to come back to from a list or picked days. */
  let scaled: View = 'week';
  $effect(() => {
    if (view !== 'agenda' && view !== 'picked') scaled = view;
  });
  const list = () => show({ view: view === 'agenda' ? scaled : 'agenda' });
  const rest = () => show({ view: view === 'work' ? 'week' : 'work' });
  const words = () => (view === 'picked' ? pickedLine?.focus() : show({ view: 'picked' }));

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
  let shifting: Shifting;
  let asking = $state<'clocks' | 'across' | null>(null);
  let drawnSpan = $state<{ first: string; last: string } | null>(null);
  /** Where something new goes if nothing else is said: the calendar used last, else the first that is on. */
  const usual = $derived.by(() => {
    const writable = all.filter((one) => one.writable);
    const on = writable.filter((one) => looking.isOn(one.id));
    return (on.find((one) => one.id === looking.last) ?? on[0] ?? writable[0])?.id ?? 0;
  });

  // What is open stands in the address; it is opened as soon as its day is there, and closed where it is taken out.
  $effect(() => {
    const key = asked.open;
    const piece = key && days.data?.days.flatMap((day) => day.pieces).find((one) => one.key === key);
    untrack(() => {
      if (!key) opened = null;
      else if (piece && opened?.key !== key) {
        fresh = null;
        opened = piece;
      }
    });
  });

  function open(one: Occurrence): void {
    unsaved.leave(() => {
      fresh = null;
      opened = one;
      show({ open: one.key }, true);
    });
  }

  function draw(day: string, begin: number, end: number): void {
    begins(day, day, ofHours(day, begin, end, looking.zone));
  }

  function drawDays(from: string, to: string): void {
    begins(from, to, ofDays(from, to));
  }

  /** A new entry over a span that was drawn. */
  function begins(first: string, last: string, fields: Fields): void {
    unsaved.leave(() => {
      shut();
      drawnSpan = { first, last };
      fresh = fields;
    });
  }

  function shut(): void {
    const key = opened?.key;
    opened = null;
    fresh = null;
    // Back to what was open, also where it was opened from another page.
    if (key) void tick().then(() => document.querySelector<HTMLElement>(`[data-key="${key}"]`)?.focus());
    if (asked.open) show({ open: '' }, true);
  }

  /** What was just added gets the focus as soon as it is drawn. */
  let added = $state<{ day: string; title: string } | null>(null);
  function made(day: string, title: string): void {
    added = { day, title };
    show({ on: day });
  }
  $effect(() => {
    const wanted = added;
    const found = days.data?.days.flatMap((day) => day.pieces);
    const piece = wanted && found?.find((one) => one.day === wanted.day && one.title === wanted.title);
    if (!piece) return;
    untrack(() => (added = null));
    void tick().then(() => document.querySelector<HTMLElement>(`[data-key="${piece.key}"]`)?.focus());
  });

  let lining = $state(false);

  onMount(() => {
    void attempt(() => looking.load());
    return keys.offer([
      { key: '← → ↑ ↓', does: 'from event to event; beyond the last, the days after or before', aim: 'find' },
      { key: 'Enter', does: 'open the event', aim: 'find' },
      { key: 'Escape', does: 'close the drawer', aim: 'find', run: () => unsaved.leave(shut) },
      { key: '+', does: 'zoom in', aim: 'time', run: () => closer(1) },
      { key: '-', does: 'zoom out', aim: 'time', run: () => closer(-1) },
      { key: 'ArrowRight', does: 'the days after', aim: 'time', run: () => step(1) },
      { key: 'ArrowLeft', does: 'the days before', aim: 'time', run: () => step(-1) },
      { key: 'PageDown', does: 'the days after, from anywhere', aim: 'time', run: () => step(1) },
      { key: 'PageUp', does: 'the days before, from anywhere', aim: 'time', run: () => step(-1) },
      { key: '.', does: 'today', aim: 'time', run: () => show({ on: today() }) },
      { key: 'j', does: 'jump to a day you type', aim: 'time', run: () => viewLine?.focus() },
      { key: 'r', does: 'hide or show rest days', aim: 'time', run: rest },
      { key: 'o', does: 'a list of occurrences, or back from it', aim: 'time', run: list },
      { key: 'p', does: 'pick days by description', aim: 'time', run: words },
      { key: 'z', does: 'one time in all zones', aim: 'time', run: () => (asking = 'across') },
      { key: 'x', does: 'overlaps', aim: 'find', run: () => void goto(`/look/overlaps?on=${on}`) },
      { key: 'b', does: 'show all layers', aim: 'layers', run: () => looking.allBack() },
      { key: 'v', does: 'layers merged, or side by side', aim: 'layers', run: () => lanes() },
      { key: 'Shift 1–9', does: 'a saved set of layers', aim: 'layers' },
      { key: 'n', does: 'new event', aim: 'change', run: () => (lining = true) },
      { key: 'Alt ↑ ↓ ← →', does: 'move the event in focus; with Shift, stretch it', aim: 'change' },
    ]);
  });

  function lanes(): void {
    looking.lanes = !looking.lanes;
    looking.save();
  }

  function sets(event: KeyboardEvent): void {
    const digit = /^Digit([1-9])$/.exec(event.code);
    if (!digit || !event.shiftKey || question() || (event.target as HTMLElement).closest('input, textarea, select'))
      return;
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
    {view === 'agenda' || days.data
      ? counted(view === 'agenda' ? listed : (days.data?.total ?? 0), 'occurrence', 'occurrences')
      : '…'}{#if drawn.overlapping.size && view !== 'year'}
      <a class="text-removed ml-2 underline" href="/look/overlaps?on={drawn.first}&count={drawn.count}&shared=yes"
        >{counted(drawn.overlaps, 'overlap', 'overlaps')}</a
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
  oncloser={closer}
  onlanes={lanes}
  onclocks={() => (asking = 'clocks')}
/>

<LayerStrip calendars={all} />

{#if lining}
  <LineForm calendars={all} {usual} onclose={() => (lining = false)} onmade={made} />
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
{#if view !== 'agenda' && drawn.fits && days.data?.total === 0 && all.some((one) => !looking.isOn(one.id))}
  <div class="border-line flex items-center gap-3 border-b px-4 py-1.5">
    <span class="text-soft">Nothing happens here on the visible layers.</span>
    <LayersOff calendars={all} />
  </div>
{/if}

<div class="flex min-h-0 flex-1">
  <div data-part class="flex min-w-0 flex-1 flex-col">
    {#if calendars.isSuccess && !all.length}
      <div class="p-8">
        <p class="mb-3 text-base">There are no calendars yet. Import or connect one first.</p>
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
          overlapping={drawn.overlapping}
          opened={opened?.key ?? ''}
          bind:total={listed}
          onopen={open}
        />
      {/if}
    {:else if view === 'picked' && !picked.length}
      <NothingPicked onsay={(phrase) => pickedLine?.say(phrase)} />
    {:else if days.isError}
      <p class="text-removed p-6">{days.error.message}</p>
    {:else if !days.data}
      <p class="text-soft p-6" role="status">Fetching…</p>
    {:else if view === 'month'}
      <MonthGrid
        days={days.data.days}
        {month}
        {byId}
        overlapping={drawn.overlapping}
        opened={opened?.key ?? ''}
        picked={picking ? picked : null}
        onopen={open}
        oncrowd={(day) => show({ view: 'agenda', on: day, span: '1' })}
        onday={visit}
        onedge={step}
        onweek={(day) => show({ view: 'week', on: day })}
        ondraw={drawDays}
      />
    {:else if view === 'year'}
      <YearMap
        days={days.data.days}
        picked={picking ? picked : null}
        onday={visit}
        onedge={step}
        onmonth={(day) => show({ view: 'month', on: day })}
      />
    {:else}
      <TimeGrid
        days={days.data.days}
        now={days.data.now ?? null}
        {byId}
        lanes={looking.lanes ? shown : null}
        overlapping={drawn.overlapping}
        opened={opened?.key ?? ''}
        onopen={open}
        oncrowd={(day) => show({ view: 'agenda', on: day, span: '1' })}
        onday={(day) => show({ view: 'day', on: day })}
        onedge={step}
        ondraw={draw}
        onshift={(piece, begin, end) => shifting.shift(piece, begin, end)}
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
        calendar={usual}
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
<Shifting bind:this={shifting} {byId} onshifted={shut} />
