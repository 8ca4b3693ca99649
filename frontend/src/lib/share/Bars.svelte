<script lang="ts">
  /** Ninety days as small bars, today at the right; what they add up to is said beside them. */
  const { bars, label, high = 18 }: { bars: number[]; label: string; high?: number } = $props();
  const most = $derived(Math.max(1, ...bars));
</script>

<svg
  viewBox="0 0 {bars.length * 2} {high}"
  width={bars.length * 2}
  height={high}
  role="img"
  aria-label={label}
  class="shrink-0"
>
  <path d="M0 {high - 0.5}H{bars.length * 2}" class="stroke-line" />
  {#each bars as bar, day (day)}
    {#if bar}<rect
        x={day * 2}
        width="1.5"
        height={Math.max(2, (bar / most) * (high - 1))}
        y={high - 1 - Math.max(2, (bar / most) * (high - 1)) + 0.5}
        class="fill-brass"
      />{/if}
  {/each}
</svg>
