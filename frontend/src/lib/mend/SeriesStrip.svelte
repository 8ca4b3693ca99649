<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { counted } from '$lib/ui/words';

  /** A series over a year: what it does on which day, against the days on which its clock is changed. */
  const { strip }: { strip: Schemas['StripOut'] } = $props();
  const MONTHS = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec'];
  const WIDE = 720;
  const x = (day: number) => (day / strip.days) * WIDE;
  const begins = $derived(
    MONTHS.map((name, month) => ({
      name,
      day: Math.round((Date.UTC(strip.year, month, 1) - Date.UTC(strip.year, 0, 1)) / 86_400_000),
    })),
  );
  const LOOKS = {
    kept: { ink: 'fill-ink', glyph: '', says: 'kept' },
    extra: { ink: 'fill-added', glyph: '+', says: 'extra' },
    moved: { ink: 'fill-changed', glyph: '→', says: 'moved' },
    changed: { ink: 'fill-changed', glyph: '≠', says: 'changed' },
    'left out': { ink: 'fill-removed', glyph: '×', says: 'left out' },
  } as const;
  const changed = $derived(strip.ticks.filter((tick) => tick.what !== 'kept'));
  const kept = $derived(strip.ticks.length - changed.length);
</script>

<figure class="overflow-x-auto">
  <svg viewBox="0 0 {WIDE} 62" class="block w-full max-w-[900px]" role="img" aria-label="The series in {strip.year}">
    {#each begins as month (month.name)}
      <line x1={x(month.day)} x2={x(month.day)} y1="14" y2="48" class="stroke-line" stroke-width="1" />
      <text x={x(month.day) + 3} y="60" class="fill-soft text-[10px]">{month.name}</text>
    {/each}
    <line x1="0" x2={WIDE} y1="34" y2="34" class="stroke-line" stroke-width="1" />
    {#each strip.changes as change (change.day)}
      <line
        x1={x(change.day)}
        x2={x(change.day)}
        y1="12"
        y2="48"
        class="stroke-brass"
        stroke-width="1.5"
        stroke-dasharray="3 2"
      />
      <text x={x(change.day) + 3} y="10" class="fill-soft text-[10px]">clock {change.words}</text>
    {/each}
    {#each strip.ticks as tick, k (k)}
      {@const look = LOOKS[tick.what]}
      {#if look.glyph}
        <text x={x(tick.day)} y="28" text-anchor="middle" class="{look.ink} text-[14px] font-bold"
          >{look.glyph}<title>{tick.words}: {look.says}</title></text
        >
      {:else}
        <rect x={x(tick.day) - 1} y="27" width="2.2" height="14" class={look.ink}><title>{tick.words}</title></rect>
      {/if}
    {/each}
  </svg>
  <figcaption class="text-soft text-[12px]">
    {strip.year}: {counted(kept, 'time', 'times')} as the rule has it{changed.length
      ? `; ${changed
          .slice(0, 6)
          .map((tick) => `${LOOKS[tick.what].says} ${tick.words}`)
          .join(', ')}${changed.length > 6 ? ', …' : ''}`
      : ''}
  </figcaption>
</figure>
