<script lang="ts">
  import { key, query } from '$lib/api/queries';
  import Sheet from '$lib/ui/Sheet.svelte';
  import DifferenceList from '$lib/mend/DifferenceList.svelte';
  import { answer, client } from '$lib/api/client';
  import { count, counted } from '$lib/ui/words';

  /** A pair of two calendars, occurrence by occurrence, looked at now. */
  type Props = { pair: number; left: string; right: string; onclose: () => void };
  const { pair, left, right, onclose }: Props = $props();
  const ask = (offset: number, limit: number) =>
    answer(
      client.GET('/api/comparisons/pairs/{pair_id}', { params: { path: { pair_id: pair }, query: { offset, limit } } }),
    );
  const head = query(() => ({ queryKey: key('pair', pair, 'head'), queryFn: () => ask(0, 1) }));
</script>

<Sheet label="A pair, time by time" width={980} leave="Close" {onclose}>
  {#if head.data}
    <h2 class="text-lg font-bold">{head.data.title}</h2>
    <p class="figures mb-2 text-[13px]">
      {counted(head.data.same, 'time is', 'times are')} the same, {count(head.data.page.total)} are not
    </p>
    <div class="flex h-[52vh] flex-col">
      <DifferenceList
        label="Differences"
        left="{left} · {head.data.zones[0] || 'no zone'}"
        right="{right} · {head.data.zones[1] || 'no zone'}"
        queryKey={['pair', pair]}
        fetchPage={async (offset, limit) => (await ask(offset, limit)).page}
        nothing="Both are the same now."
      />
    </div>
  {:else if head.isError}<p class="text-removed">{head.error.message}</p>
  {:else}<p class="text-soft" role="status">Comparing…</p>{/if}
</Sheet>
