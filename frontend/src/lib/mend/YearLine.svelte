<script lang="ts">
  import type { Schemas } from '$lib/api/client';

  /** How far clocks are ahead of UTC over a year: the one that counts as a line, another reading as dashes. */
  type Step = Schemas['StepOut'];
  type Props = { own: Step[]; other?: Step[]; said: string; otherSaid?: string; wide?: number };
  const { own, other = [], said, otherSaid = '', wide = 150 }: Props = $props();
  const TALL = 34;
  const all = $derived([...own, ...other].map((step) => step.minutes));
  const low = $derived(Math.min(...all));
  const span = $derived(Math.max(60, Math.max(...all) - low));

  function path(steps: Step[]): string {
    const y = (minutes: number) => TALL - 5 - ((minutes - low) / span) * (TALL - 10);
    const x = (day: number) => (day / 366) * wide;
    return steps
      .map((step, at) => {
        const end = steps[at + 1]?.day ?? 366;
        return `${at ? 'L' : 'M'}${x(step.day).toFixed(1)} ${y(step.minutes).toFixed(1)} L${x(end).toFixed(1)} ${y(step.minutes).toFixed(1)}`;
      })
      .join(' ');
  }
  const offset = (minutes: number) =>
    `UTC${minutes < 0 ? '−' : '+'}${Math.floor(Math.abs(minutes) / 60)}${minutes % 60 ? `:${String(Math.abs(minutes) % 60).padStart(2, '0')}` : ''}`;
  const words = (steps: Step[]) => [...new Set(steps.map((step) => offset(step.minutes)))].join(' and ');
</script>

{#if own.length}
  <svg
    width={wide}
    height={TALL}
    viewBox="0 0 {wide} {TALL}"
    role="img"
    aria-label="Over the year, {said}: {words(own)}{other.length ? `; ${otherSaid}: ${words(other)}` : ''}"
  >
    {#each [0.25, 0.5, 0.75] as part (part)}
      <line x1={wide * part} x2={wide * part} y1="2" y2={TALL - 2} class="stroke-line" stroke-width="1" />
    {/each}
    {#if other.length}
      <path d={path(other)} fill="none" class="stroke-changed" stroke-width="1.5" stroke-dasharray="4 3" />
    {/if}
    <path d={path(own)} fill="none" class="stroke-ink" stroke-width="1.8" />
  </svg>
{/if}
