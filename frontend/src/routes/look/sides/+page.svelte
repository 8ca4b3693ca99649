<script lang="ts">
  import { choice, day, text, view, type Changes } from '$lib/state/view';
  import { page } from '$app/state';
  import { onMount } from 'svelte';
  import { walking } from '$lib/state/focus';
  import Action from '$lib/ui/Action.svelte';
  import { answer, client, type Schemas } from '$lib/api/client';
  import { calendarsQuery, key, query } from '$lib/api/queries';
  import { keepInAddress } from '$lib/state/address';
  import { attempt } from '$lib/state/attempt.svelte';
  import { keys } from '$lib/state/keys.svelte';
  import { notices } from '$lib/state/notice.svelte';
  import CutNote from '$lib/time/CutNote.svelte';
  import LookNav from '$lib/time/LookNav.svelte';
  import SideDay from '$lib/time/SideDay.svelte';
  import { today } from '$lib/state/clock';
  import { later, monthLater } from '$lib/time/layout';
  import { looking } from '$lib/state/looking.svelte';
  import { count as said, counted } from '$lib/ui/words';
  import AlikeList from '$lib/mend/AlikeList.svelte';

  type Pair = Schemas['MirrorPair'];
  const calendars = calendarsQuery();
  const all = $derived(calendars.data ?? []);
  const byId = $derived(new Map(all.map((calendar) => [calendar.id, calendar])));

  const shape = { on: day(today), view: choice(['', 'month'], ''), left: text, right: text };
  const address = view('/look/sides', shape);
  const asked = $derived(address.read(page.url.searchParams));
  const { on, left, right } = $derived(asked);
  const month = $derived(asked.view === 'month');

  function set(changes: Changes<typeof shape>): void {
    const next = address.address(page.url.searchParams, changes);
    void keepInAddress(next);
  }

  /** What a choice means: one calendar by its number, or a saved set of layers by its name. */
  const ids = (choice: string) =>
    choice.startsWith('set:')
      ? (looking.sets.find((one) => one.name === choice.slice(4))?.on ?? [])
      : choice
        ? [Number(choice)]
        : [];
  const mirror = query(() => ({
    queryKey: key('mirror', asked.view, on, looking.zone, ids(left), ids(right)),
    queryFn: () =>
      answer(
        client.GET('/api/mirrored-days', {
          params: {
            query: { view: month ? 'month' : 'week', on, zone: looking.zone, left: ids(left), right: ids(right) },
          },
        }),
      ),
    enabled: looking.ready && left !== '' && right !== '',
    placeholderData: (previous) => previous,
  }));
  const differences = $derived(
    (mirror.data?.days ?? []).flatMap((day) =>
      day.pairs.filter((pair) => pair.verdict !== 'same').map((pair) => ({ day, pair })),
    ),
  );
  // The hours that are used, so that a short working day fills the height.
  const hours = $derived.by((): [number, number] => {
    const pieces = (mirror.data?.days ?? [])
      .flatMap((day) => day.pairs)
      .flatMap((pair) => [pair.left, pair.right])
      .filter((one) => one !== null && one !== undefined && !one.whole);
    const from = Math.min(8 * 60, ...pieces.map((one) => one?.start ?? 480));
    const to = Math.max(18 * 60, ...pieces.map((one) => one?.end ?? 1080));
    return [from - 15, to + 15];
  });
  let at = $state(-1);
  const current = $derived(differences[at]?.pair ?? null);
  /** Which difference of the page that is on its way is to be shown: the first, the last, or none. */
  let coming: 1 | -1 | 0 = 0;
  $effect(() => {
    if (!mirror.data || mirror.isPlaceholderData) return;
    at = coming > 0 ? 0 : coming < 0 ? differences.length - 1 : -1;
    coming = 0;
  });

  async function step(by: 1 | -1): Promise<void> {
    const next = at < 0 ? (by > 0 ? 0 : differences.length - 1) : at + by;
    if (next >= 0 && next < differences.length) at = next;
    else if (left && right) await seek(by);
  }

  /** The next difference lies further on: the pages after this one are looked through, for a year at most. */
  async function seek(by: 1 | -1): Promise<void> {
    const shown = mirror.data?.days ?? [];
    let from = (by > 0 ? shown.at(-1) : shown[0])?.date ?? on;
    for (let tried = 0; tried < 12; tried++) {
      from = later(from, by > 0 ? (tried ? 31 : 1) : -31);
      const query = { first: from, count: 31, zone: looking.zone, left: ids(left), right: ids(right) };
      const found = await answer(client.GET('/api/mirrored-days', { params: { query } }));
      const days = found.days.filter((day) => day.pairs.some((pair) => pair.verdict !== 'same'));
      const day = by > 0 ? days[0] : days.at(-1);
      if (day) {
        coming = by;
        return set({ on: day.date });
      }
    }
    notices.say(`Both sides agree from here on, for a year ${by > 0 ? 'ahead' : 'back'}.`);
  }

  const line = (pair: Pair) =>
    pair.verdict === 'alone'
      ? `only ${pair.left ? 'left' : 'right'}`
      : pair.verdict === 'moved'
        ? `right is ${pair.difference}`
        : 'place, length or title differs';
  const one = (pair: Pair) => pair.left ?? pair.right;

  function move(by: 1 | -1): void {
    if (!month) return set({ on: later(on, by * 7) });
    set({ on: monthLater(on, by) });
  }

  onMount(() => {
    void attempt(() => looking.load());
    return keys.offer([
      { key: 'n', does: 'the next difference', aim: 'find', run: () => void attempt(() => step(1)) },
      { key: 'N', does: 'the difference before', aim: 'find', run: () => void attempt(() => step(-1)) },
      { key: '+', does: 'zoom in: a week', aim: 'time', run: () => set({ view: '' }) },
      { key: '-', does: 'zoom out: a month', aim: 'time', run: () => set({ view: 'month' }) },
      { key: 'ArrowRight', does: 'the next week or month', aim: 'time', run: () => move(1) },
      { key: 'ArrowLeft', does: 'the one before', aim: 'time', run: () => move(-1) },
      { key: '.', does: 'today', aim: 'time', run: () => set({ on: today() }) },
      { key: 's', does: 'swap the sides', aim: 'find', run: () => set({ left: right, right: left }) },
    ]);
  });
</script>

{#snippet side(label: string, value: string, onchange: (choice: string) => void)}
  <select
    class="field-small max-w-[250px]"
    aria-label={label}
    {value}
    onchange={(event) => onchange(event.currentTarget.value)}
  >
    <option value="" disabled>choose…</option>
    {#each all as calendar (calendar.id)}<option value={String(calendar.id)}>{calendar.label}</option>{/each}
    {#each looking.sets as set (set.name)}<option value="set:{set.name}">set: {set.name}</option>{/each}
  </select>
{/snippet}

<svelte:head><title>Two sides · Date Bridge</title></svelte:head>
<h1 class="visually-hidden">Look: the same days on two sides</h1>
<LookNav />

<div class="border-line flex shrink-0 flex-wrap items-center gap-2 border-b px-4 py-1.5 text-[13px]">
  <span>Left</span>
  {@render side('Left bank', left, (choice) => set({ left: choice }))}
  <span>against right</span>
  {@render side('Right bank', right, (choice) => set({ right: choice }))}
  <select
    class="field-small"
    aria-label="View"
    value={month ? 'month' : 'week'}
    onchange={(event) => set({ view: event.currentTarget.value })}
  >
    <option value="week">in a week</option><option value="month">in a month</option>
  </select>
  <Action onclick={() => move(-1)} hint="Previous (←)">‹</Action>
  <strong class="figures">{mirror.data?.title ?? on}</strong>
  <Action onclick={() => move(1)} hint="The next (→)">›</Action>
  <span class="ml-auto"></span>
  {#if Number(left) && Number(right)}
    <Action
      href="/mend/reconcile?left={left}&right={right}"
      hint="Compare all their entries and make one side match the other">Reconcile these two</Action
    >
  {/if}
  <Action onclick={() => void attempt(() => step(1))} key="n" disabled={!left || !right}>Next difference</Action>
</div>

{#if !left || !right}
  <div
    class="text-soft min-h-0 flex-1 overflow-y-auto p-6"
    tabindex="-1"
    data-rest
    data-part
    {@attach walking('button', undefined, true)}
  >
    <p class="mb-1 text-base">Choose two calendars, or kept sets of layers.</p>
    <p class="mb-4">
      Each day shows one calendar on the left and the other on the right. Pairs are joined; entries without a partner
      stand out.
    </p>
    <AlikeList onpick={(one, other) => set({ left: String(one), right: String(other) })} />
  </div>
{:else if mirror.isError}
  <p class="text-removed p-6">{mirror.error.message}</p>
{:else if !mirror.data}
  <p class="text-soft p-6" role="status">Fetching…</p>
{:else}
  {@const found = mirror.data}
  <CutNote titles={found.cut} />
  <p class="border-line figures flex shrink-0 gap-5 border-b px-4 py-1 text-[13px]" role="status">
    <span class="text-same">= {said(found.same)} the same</span>
    <span class="text-changed">⇅ {said(found.moved)} at another time</span>
    <span class="text-changed">≠ {said(found.changed)} different</span>
    <span class="text-removed">! {said(found.alone_left)} only left, {said(found.alone_right)} only right</span>
  </p>
  <div class="flex min-h-0 flex-1" tabindex="-1" data-rest data-part>
    <div
      class="grid min-h-0 min-w-0 flex-1 grid-cols-7"
      style:grid-template-rows="repeat({found.days.length / 7}, minmax(0, 1fr))"
    >
      {#each found.days as day (day.date)}
        <div class="border-line flex min-h-0 min-w-0 flex-col border-b [&>section]:flex-1">
          <SideDay
            {day}
            {byId}
            small={month}
            {hours}
            {current}
            onpick={(pair) => {
              const index = differences.findIndex((other) => other.pair === pair);
              if (index >= 0) at = index;
            }}
          />
        </div>
      {/each}
    </div>
    <section aria-label="Differences" class="border-ink w-[270px] shrink-0 overflow-y-auto border-l-2 text-[13px]">
      <h2 class="bg-shade px-3 py-1 font-bold">
        {differences.length
          ? `${counted(differences.length, 'difference', 'differences')} here`
          : 'No difference here: both sides agree'}
      </h2>
      <ol>
        {#each differences.slice(0, 300) as { day, pair }, k (k)}
          <li class="border-line border-b {k === at ? 'bg-picked' : ''}">
            <button class="w-full px-3 py-1 text-left" onclick={() => (at = k)} aria-current={k === at}>
              <span class="figures text-soft text-[12px]"
                >{day.name} {pair.left?.hours || pair.right?.hours || 'whole day'}</span
              >
              <span
                class="{pair.verdict === 'alone' ? 'text-removed' : 'text-changed'} float-right text-[12px] font-bold"
                >{line(pair)}</span
              >
              <span class="block truncate">{one(pair)?.title}</span>
              {#if k === at}
                {#each [pair.left, pair.right] as party, n (n)}
                  <span class="block text-[12px]">
                    {n ? 'right' : 'left'}: {#if party}<a
                        class="text-brass underline"
                        href="/look/time?view=week&on={party.day}&open={party.key}">{party.date} {party.hours}</a
                      >
                      {party.place}{:else}<em class="text-soft">nothing</em>{/if}
                  </span>
                {/each}
              {/if}
            </button>
          </li>
        {/each}
      </ol>
    </section>
  </div>
{/if}
