<script lang="ts">
  import { key, query } from '$lib/api/queries';
  import Sheet from '$lib/ui/Sheet.svelte';
  import DifferenceList from '$lib/mend/DifferenceList.svelte';
  import { answer, client } from '$lib/api/client';
  import { count, counted } from '$lib/ui/words';

  /** Every time that a change set affects, before and after, on both clocks. */
  type Props = { set: number; proposed: boolean; onclose: () => void };
  const { set, proposed, onclose }: Props = $props();
  const ask = (offset: number, limit: number) =>
    answer(
      client.GET('/api/change-sets/{set_id}/times', { params: { path: { set_id: set }, query: { offset, limit } } }),
    );
  const head = query(() => ({ queryKey: key('change-times', set), queryFn: () => ask(0, 1), staleTime: Infinity }));
</script>

<Sheet label="Times before and after" width={980} leave="Close" {onclose}>
  <h2 class="text-lg font-bold">Times before and after</h2>
  {#if head.data}
    {@const told = head.data}
    <p class="figures mb-2 flex flex-wrap gap-x-5 text-[13px]">
      <span class="text-changed">≠ {counted(told.moved, 'time', 'times')} at another moment</span>
      {#if told.renamed}<span>{counted(told.renamed, 'entry changes', 'entries change')} only the name of the zone</span
        >{/if}
      {#if told.gone}<span class="text-removed">− {count(told.gone)} no more</span>{/if}
      {#if told.new}<span class="text-added">+ {count(told.new)} new</span>{/if}
      <span class="text-same">= {count(told.same)} as they are</span>
      {#if told.clock_change}<span class="text-changed"
          >{counted(told.clock_change, 'falls', 'fall')} where a clock is changed: skipped, or twice</span
        >{/if}
      {#if told.cut}<span class="text-changed">there are more than are listed here</span>{/if}
    </p>
    <div class="flex h-[52vh] flex-col">
      <DifferenceList
        label="Times"
        left={proposed ? 'When it is' : 'When it was'}
        right={proposed ? 'When it will be' : 'When it became'}
        queryKey={['change-times', set, 'pages']}
        fetchPage={async (offset, limit) => (await ask(offset, limit)).page}
        nothing="No time changes."
        alone={{ left: 'no more', right: 'new' }}
      />
    </div>
  {:else if head.isError}<p class="text-removed">{head.error.message}</p>
  {:else}<p class="text-soft" role="status">Calculating all times…</p>{/if}
</Sheet>
