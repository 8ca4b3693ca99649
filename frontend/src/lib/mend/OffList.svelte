<script lang="ts">
  import Action from '$lib/ui/Action.svelte';
  import Change from '$lib/look/Change.svelte';
  import DifferenceList from '$lib/mend/DifferenceList.svelte';
  import { answer, client, type Schemas } from '$lib/api/client';
  import type { Step } from '$lib/look/steps';

  /** What agrees with its counterpart in another calendar for part of the year only, with the zones that explain it. */
  const { off }: { off: Schemas['OffOut'][] } = $props();
  let at = $state(0);
  let steps = $state<Step[] | null>(null);
  const one = $derived(off[Math.min(at, off.length - 1)]);

  export function mend(): void {
    if (!one) return;
    steps = [{ do: 'clock', zone: one.right_zone, keep: 'clock', of: one.wrong_zone, otherwise: 'leave' }];
  }
</script>

{#if one}
  <div class="border-line border-b px-4 py-2">
    <p class="text-soft text-[13px]">found by comparing calendars that share entries</p>
    <h2 class="text-lg leading-6 font-bold">Wrong for part of the year</h2>
    {#if off.length > 1}
      <select class="field-small mt-1" aria-label="Which entry" bind:value={at}>
        {#each off as each, k (each.pair)}<option value={k}>{each.title}, {each.right}</option>{/each}
      </select>
    {/if}
    <p class="mt-1 max-w-[90ch]">
      <strong>{one.title}</strong> in <strong>{one.right}</strong> agrees with {one.left} on {one.agree} dates and is
      <strong class="text-changed">wrong by {one.moved} on {one.off}</strong>. That is as far as
      <strong>{one.right_zone}</strong> and <strong>{one.wrong_zone}</strong> are apart then: somebody took the one for the
      other.
    </p>
    <div class="mt-2 flex flex-wrap gap-2">
      <Action kind="main" key="p" onclick={mend} hint="Makes a proposal that lists every time before and after"
        >Change the zone to {one.right_zone}…</Action
      >
      <Action href="/look?filter={encodeURIComponent(one.filter)}">Show in the table</Action>
    </div>
  </div>
  <DifferenceList
    label="Wrong times"
    left={one.left}
    right={one.right}
    queryKey={['pair', one.pair]}
    fetchPage={async (offset, limit) =>
      (
        await answer(
          client.GET('/api/comparisons/pairs/{pair_id}', {
            params: { path: { pair_id: one.pair }, query: { offset, limit } },
          }),
        )
      ).page}
    nothing="All times agree now."
  />
  {#if steps}
    <Change
      selection={{ filter: one.filter, excluded: [], only: null }}
      chosen={1}
      {steps}
      onclose={() => (steps = null)}
    />
  {/if}
{/if}
