<script lang="ts">
  import TextBanks from '$lib/ui/TextBanks.svelte';
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
</script>

{#if both.data}
  <TextBanks
    left={both.data.left}
    right={both.data.right}
    names={['At the source', 'At the target']}
    missing="It is not there."
  />
{:else if both.isError}
  <p class="text-removed border-ink border-t-2 p-3">{both.error.message}</p>
{/if}
