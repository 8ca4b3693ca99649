<script lang="ts">
  import type { Calendar, Schemas } from '$lib/api/client';
  import { shade } from '$lib/ui/palette';
  import { placed } from './layout';

  /** One day mirrored about its middle: left bank, right bank, and what joins them in the channel between. */
  type Pair = Schemas['MirrorPair'];
  type Props = {
    day: Schemas['MirrorDay'];
    byId: Map<number, Calendar>;
    small: boolean;
    current: Pair | null;
    /** The minutes of the day that are drawn, the same on every day. */
    hours: [number, number];
    onpick: (pair: Pair) => void;
  };
  const p: Props = $props();

  let wide = $state(170);
  let high = $state(500);
  const whole = $derived(p.day.pairs.filter((pair) => (pair.left ?? pair.right)?.whole));
  const timed = $derived(p.day.pairs.filter((pair) => !(pair.left ?? pair.right)?.whole));
  const hours = $derived(p.hours);
  const ticks = $derived(
    [0, 2, 4, 6, 8, 10, 12, 14, 16, 18, 20, 22].filter((hour) => hour * 60 > hours[0] && hour * 60 < hours[1]),
  );
  const y = (minutes: number) => ((minutes - hours[0]) / (hours[1] - hours[0])) * high;
  const channel = $derived(p.small ? 30 : 40);
  const bank = $derived((wide - channel) / 2);
  const colour = (one: Schemas['PieceOut']) => {
    const calendar = p.byId.get(one.calendar);
    return calendar ? shade(calendar) : 'var(--soft)';
  };
  // What overlaps on one bank shares its width.
  const sideOf = (pick: (pair: Pair) => Schemas['PieceOut'] | null | undefined) =>
    new Map(
      placed(
        timed.map(pick).filter((one) => one !== null && one !== undefined),
        null,
        20,
      ).map((one) => [one.piece, one]),
    );
  const lefts = $derived(sideOf((pair) => pair.left));
  const rights = $derived(sideOf((pair) => pair.right));
  const LINE: Record<string, string> = {
    same: 'var(--line)',
    changed: 'var(--changed)',
    moved: 'var(--changed)',
    alone: 'var(--removed)',
  };
  const GLYPH: Record<string, string> = { same: '=', changed: '≠', moved: '⇅', alone: '!' };
  const words = (pair: Pair) => {
    const one = pair.left ?? pair.right;
    const state =
      pair.verdict === 'alone'
        ? `only on the ${pair.left ? 'left' : 'right'}`
        : pair.verdict === 'moved'
          ? `right is ${pair.difference}`
          : pair.verdict;
    return `${one?.title ?? ''}, ${one?.hours || 'whole day'}: ${state}`;
  };
</script>

{#snippet box(pair: Pair, one: Schemas['PieceOut'], right: boolean)}
  {@const at = (right ? rights : lefts).get(one) ?? { left: 0, width: 1 }}
  <button
    class="absolute overflow-hidden px-0.5 text-left text-[11px] leading-[13px] {pair.verdict === 'alone'
      ? 'border-removed border-2 border-dashed'
      : ''} {p.current === pair ? 'outline-brass z-[2] outline-3' : ''}"
    style:left="{(right ? bank + channel : 0) + bank * (right ? at.left : 1 - at.left - at.width)}px"
    style:width="{bank * at.width}px"
    style:top="{y(one.start)}px"
    style:height="{Math.max(p.small ? 4 : 12, y(one.end) - y(one.start) - 1)}px"
    style:background="color-mix(in srgb, {colour(one)}
    {pair.verdict === 'same' ? 14 : 34}%, var(--sheet))"
    style:border-inline-end={right ? undefined : `3px solid ${colour(one)}`}
    style:border-inline-start={right ? `3px solid ${colour(one)}` : undefined}
    title={words(pair)}
    aria-label={words(pair)}
    onclick={() => p.onpick(pair)}
    ><span class="block h-full overflow-hidden hyphens-auto"
      >{#if !p.small || pair.verdict !== 'same'}<span class={pair.verdict === 'same' ? 'text-soft' : 'font-bold'}
          >{one.title}</span
        >{/if}</span
    ></button
  >
{/snippet}

<section aria-label={p.day.name} class="border-line flex min-h-0 min-w-0 flex-col border-l px-1">
  <h2 class="flex items-baseline gap-1 text-[12px] {p.day.today ? 'text-brass font-bold' : ''}">
    <span class="truncate">{p.day.name}</span>
    <span class="figures text-soft ml-auto text-[11px]">
      {#if p.day.pairs.some((pair) => pair.verdict !== 'same')}<span class="text-removed font-bold"
          >{p.day.pairs.filter((pair) => pair.verdict !== 'same').length}≠</span
        >{/if}
      {p.day.pairs.filter((pair) => pair.verdict === 'same').length + p.day.more}=</span
    >
  </h2>
  {#each whole.slice(0, p.small ? 2 : 6) as pair (pair)}
    <button
      class="border-line flex h-[15px] w-full shrink-0 items-center border-b text-left text-[11px] {p.current === pair
        ? 'outline-brass outline-2'
        : ''}"
      title={words(pair)}
      onclick={() => p.onpick(pair)}
    >
      <span class="min-w-0 flex-1 truncate">{pair.left?.title ?? '—'}</span>
      <span class="px-0.5 font-bold" style:color={LINE[pair.verdict]}>{GLYPH[pair.verdict]}</span>
      <span class="min-w-0 flex-1 truncate">{pair.right?.title ?? '—'}</span>
    </button>
  {/each}
  <div bind:clientWidth={wide} bind:clientHeight={high} class="relative min-h-0 flex-1 overflow-hidden">
    <div class="bg-shade absolute inset-y-0" style:left="{bank}px" style:width="{channel}px"></div>
    {#if !p.small}
      {#each ticks as hour (hour)}
        <span
          class="figures text-soft absolute text-center text-[10px] leading-3"
          style:left="{bank}px"
          style:width="{channel}px"
          style:top="{y(hour * 60) - 6}px">{String(hour).padStart(2, '0')}</span
        >
      {/each}
    {/if}
    <svg class="pointer-events-none absolute inset-0 z-[1] h-full w-full" aria-hidden="true">
      {#each timed as pair (pair)}
        {#if pair.left && pair.right}
          <line
            x1={bank}
            y1={y(pair.left.start) + 2}
            x2={bank + channel}
            y2={y(pair.right.start) + 2}
            stroke={LINE[pair.verdict]}
            stroke-width={pair.verdict === 'same' ? 1 : 2.5}
          />
        {/if}
      {/each}
    </svg>
    {#each timed as pair (pair)}
      {#if pair.left}{@render box(pair, pair.left, false)}{/if}
      {#if pair.right}{@render box(pair, pair.right, true)}{/if}
      {#if pair.difference && pair.left && pair.right}
        <span
          class="bg-paper text-changed figures pointer-events-none absolute z-[1] leading-3 font-bold tracking-tighter {p.small
            ? 'text-[9px]'
            : 'text-[10px]'}"
          style:left="{bank - 2}px"
          style:width="{channel + 4}px"
          style:top="{(y(pair.left.start) + y(pair.right.start)) / 2 - 5}px"
          style:text-align="center">{pair.difference}</span
        >
      {/if}
    {/each}
  </div>
</section>
