<script lang="ts">
  import { key, query } from '$lib/api/queries';
  import Sheet from '$lib/ui/Sheet.svelte';
  import DifferenceList from '$lib/mend/DifferenceList.svelte';
  import { answer, client } from '$lib/api/client';
  import { count, counted } from '$lib/ui/words';

  /** Two series laid against each other, occurrence by occurrence. */
  type Props = { left: number; right: number; onclose: () => void };
  const { left, right, onclose }: Props = $props();
  let years = $state(2);
  const ask = (offset: number, limit: number) =>
    answer(client.GET('/api/series/against', { params: { query: { left, right, years, offset, limit } } }));
  const head = query(() => ({ queryKey: key('against', left, right, years), queryFn: () => ask(0, 1) }));
</script>

<Sheet label="Two series against each other" width={980} leave="Close" {onclose}>
  {#if head.data}
    {@const [one, other] = head.data.titles}
    <h2 class="text-lg font-bold">{one} against {other}</h2>
    <p class="mb-2 flex items-center gap-4 text-[13px]">
      <span class="figures"
        >{counted(head.data.same, 'time is', 'times are')} the same, {count(head.data.page.total)} are not</span
      >
      <label class="flex items-center gap-2"
        >over <select class="field-small" aria-label="Years" bind:value={years}>
          {#each [1, 2, 5, 10] as each (each)}<option value={each}>{each} y back and ahead</option>{/each}
        </select></label
      >
    </p>
    <div class="flex h-[52vh] flex-col">
      <DifferenceList
        label="Differences"
        left="{one} · {head.data.zones[0] || 'no zone'}"
        right="{other} · {head.data.zones[1] || 'no zone'}"
        queryKey={['against', left, right, years, 'pages']}
        fetchPage={async (offset, limit) => (await ask(offset, limit)).page}
        nothing="Both happen at the same times."
      />
    </div>
  {:else if head.isError}<p class="text-removed">{head.error.message}</p>
  {:else}<p class="text-soft" role="status">Comparing…</p>{/if}
</Sheet>
