<script lang="ts">
  import { answer, client } from '$lib/api/client';
  import { key, query } from '$lib/api/queries';

  /** An entry at both ends, line by line; what only one of them says is marked. */
  const { crossing, source, there }: { crossing: number; source: number; there: number } = $props();
  const both = query(() => ({
    queryKey: key('crossing-both', crossing, source, there),
    queryFn: () =>
      answer(
        client.GET('/api/crossings/{crossing_id}/both', {
          params: { path: { crossing_id: crossing }, query: { source, there } },
        }),
      ),
  }));
  const here = $derived(new Set(both.data?.left));
  const other = $derived(new Set(both.data?.right));
</script>

{#snippet bank(lines: string[], against: Set<string>, label: string)}
  <div class="figures min-w-0 flex-1 px-3 py-2 text-[12px] break-words" role="group" aria-label={label}>
    {#each lines as line, k (k)}
      <span class="block {against.has(line) ? '' : 'bg-picked font-bold'}">{line}</span>
    {:else}<em class="text-soft">It is not there.</em>{/each}
  </div>
{/snippet}

{#if both.data}
  <div
    class="border-ink max-h-[50%] shrink-0 overflow-y-auto border-t-2"
    role="region"
    aria-label="The entry in two banks"
    tabindex="-1"
    data-part
  >
    <div class="border-line flex border-b px-3 py-1 text-[13px] font-bold">
      <span class="flex-1">At the source</span>
      <span class="flex-1 pl-3">At the target</span>
    </div>
    <div class="divide-line flex divide-x">
      {@render bank(both.data.left, other, 'At the source')}
      {@render bank(both.data.right, here, 'At the target')}
    </div>
  </div>
{:else if both.isError}
  <p class="text-removed border-ink border-t-2 p-3">{both.error.message}</p>
{/if}
