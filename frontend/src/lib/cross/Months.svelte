<script lang="ts">
  import { answer, client } from '$lib/api/client';
  import { key, query } from '$lib/api/queries';
  import { count } from '$lib/ui/words';

  /** How much happens in each month: the source above, the target below; what differs is drawn in red. */
  const { crossing, lane }: { crossing: number; lane: number } = $props();
  const months = query(() => ({
    queryKey: key('crossing-months', crossing, lane),
    queryFn: () =>
      answer(
        client.GET('/api/crossings/{crossing_id}/months', {
          params: { path: { crossing_id: crossing }, query: { lane } },
        }),
      ),
  }));
  const all = $derived(
    Object.entries(months.data?.months ?? {}).map(([month, [here = 0, there = 0]]) => ({ month, here, there })),
  );
  const most = $derived(Math.max(1, ...all.flatMap((one) => [one.here, one.there])));
  const differing = $derived(all.filter((one) => one.here !== one.there).length);
</script>

{#if all.length}
  <p class="text-soft">Occurrences each month: at the source above, at the target below</p>
  <svg
    role="img"
    aria-label="Occurrences each month from {all[0]?.month} to {all[all.length - 1]
      ?.month}, the source above, the target
      below: {differing ? `${count(differing)} months differ` : 'every month is the same'}"
    viewBox="0 0 {all.length * 12} 60"
    preserveAspectRatio="none"
    class="h-14 w-full max-w-xl"
  >
    {#each all as one, k (one.month)}
      <g class={one.here === one.there ? 'fill-ink' : 'fill-removed'}>
        <title>{one.month}: {count(one.here)} at the source, {count(one.there)} at the target</title>
        <rect x={k * 12} y={28 - (28 * one.here) / most} width="10" height={(28 * one.here) / most} />
        <rect x={k * 12} y="32" width="10" height={(28 * one.there) / most} />
      </g>
    {/each}
  </svg>
{/if}
