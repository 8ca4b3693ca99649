<script lang="ts">
  import { key, query, refresh } from '$lib/api/queries';
  import { useQueryClient } from '@tanstack/svelte-query';
  import { answer, client } from '$lib/api/client';
  import { attempt } from '$lib/state/attempt.svelte';
  import { notices } from '$lib/state/notice.svelte';
  import { counted } from '$lib/ui/words';

  /** The pairs that somebody has said are two; each can be compared again. */
  const queries = useQueryClient();
  const apart = query(() => ({
    queryKey: key('duplicates', 'apart'),
    queryFn: () => answer(client.GET('/api/duplicates/apart')),
  }));

  async function forget(ruling: number): Promise<void> {
    await attempt(() =>
      answer(client.DELETE('/api/duplicates/apart/{ruling_id}', { params: { path: { ruling_id: ruling } } })),
    );
    notices.say('Both are compared again.');
    await refresh(queries, 'duplicates');
  }
</script>

{#if apart.data?.length}
  <details class="border-line shrink-0 border-t px-4 py-1.5 text-[13px]">
    <summary class="text-brass cursor-pointer">{counted(apart.data.length, 'pair', 'pairs')} remembered as two</summary>
    <ul class="ruled max-h-48 overflow-y-auto pt-1">
      {#each apart.data as one (one.id)}
        <li class="flex items-center gap-2 py-1">
          <span class="min-w-0 flex-1 truncate" title="{one.left} / {one.right}">{one.left} / {one.right}</span>
          <button
            class="text-brass underline"
            aria-label="Compare again: {one.left}, {one.right}"
            onclick={() => void forget(one.id)}>compare again</button
          >
        </li>
      {/each}
    </ul>
  </details>
{/if}
