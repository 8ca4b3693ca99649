<script lang="ts">
  import { key, query } from '$lib/api/queries';
  import { answer, client } from '$lib/api/client';
  import { roving } from '$lib/state/focus';
  import { count } from '$lib/ui/words';

  /** Counts of what matches, that narrow by a click. One kind of count is shown at a time. */
  const { filter, ready, onnarrow }: { filter: string; ready: boolean; onnarrow: (term: string) => void } = $props();

  const NAMES = ['calendar', 'year', 'kind', 'zone', 'category', 'status', 'marks'] as const;
  let shown = $state<(typeof NAMES)[number]>('calendar');
  const facets = query(() => ({
    queryKey: key('facets', shown, filter),
    queryFn: () => answer(client.GET('/api/facets', { params: { query: { by: shown, filter } } })),
    enabled: ready, // the rows come first
    placeholderData: (previous, query) => (query?.queryKey[1] === shown ? previous : undefined),
  }));
  const values = $derived(facets.data ?? []);
</script>

<div class="border-line flex min-h-[37px] flex-wrap items-start gap-x-3 gap-y-1 border-b px-4 py-1.5 text-[13px]">
  <div class="flex shrink-0 items-center gap-1" role="toolbar" aria-label="Count by" {@attach roving()}>
    <span class="text-soft mr-1">Count by</span>
    {#each NAMES as name (name)}
      <button
        aria-pressed={shown === name}
        class="rounded-[2px] px-1.5 py-0.5 {shown === name ? 'bg-ink text-paper' : 'hover:bg-shade'}"
        onclick={() => (shown = name)}>{name}</button
      >
    {/each}
  </div>
  <ul
    class="flex max-h-[52px] min-w-[300px] flex-1 flex-wrap gap-x-1 gap-y-0.5 overflow-y-auto"
    aria-label="Narrow by {shown}"
    {@attach roving()}
  >
    {#each values as value (value.value)}
      <li>
        <button
          class="hover:bg-shade border-line rounded-[2px] border px-1.5 py-0.5 disabled:opacity-70"
          disabled={!value.term}
          title={value.term ? `Narrow to ${value.term}` : undefined}
          onclick={() => onnarrow(value.term)}
          >{value.value} <span class="figures text-soft">{count(value.count)}</span></button
        >
      </li>
    {/each}
  </ul>
</div>
