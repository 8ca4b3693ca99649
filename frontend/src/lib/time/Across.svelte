<script lang="ts">
  import { key, query } from '$lib/api/queries';
  import Action from '$lib/ui/Action.svelte';
  import Sheet from '$lib/ui/Sheet.svelte';
  import { answer, client } from '$lib/api/client';
  import HourField from './HourField.svelte';
  import { looking } from '$lib/state/looking.svelte';

  /** An hour on one clock as the others show it, before and after each change of any of the clocks. */
  const { onclose, onclocks }: { onclose: () => void; onclocks: () => void } = $props();
  let at = $state('15:00');
  let zone = $state(looking.zone);
  const hours = query(() => ({
    queryKey: key('hours', at, zone, looking.others),
    queryFn: () =>
      answer(
        client.GET('/api/hours', {
          params: {
            query: { at, zone, clock: looking.others, from: looking.clocks[0]?.from, to: looking.clocks[0]?.to },
          },
        }),
      ),
    enabled: /^\d\d:\d\d/.test(at),
    placeholderData: (previous) => previous,
  }));
  const box = 'field';
  const called = (name: string) =>
    name
      .split(' and ')
      .map((one) => looking.clocks.find((clock) => clock.zone === one)?.name ?? one)
      .join(' and ');
</script>

<Sheet label="Hours across" width={780} {onclose}>
  <h2 class="mb-2 text-lg font-bold">Times in the other zones</h2>
  <p class="mb-3 flex items-center gap-2">
    <HourField label="Hour" value={at} onchange={(hour) => (at = hour)} />
    on the clock of
    <select class={box} aria-label="Clock" bind:value={zone}>
      {#each looking.clocks as clock (clock.zone)}<option value={clock.zone}>{clock.name}</option>{/each}
    </select>
    <span class="text-soft">is, for a year from today:</span>
  </p>
  {#if hours.isError}<p class="text-removed">{hours.error.message}</p>{/if}
  <table class={['w-full text-[13px]', hours.isPlaceholderData && 'opacity-50']} aria-busy={hours.isPlaceholderData}>
    <thead>
      <tr class="border-ink border-b text-left">
        <th class="py-1 pr-3">From</th>
        {#each looking.clocks as clock (clock.zone)}<th class="pr-3">{clock.name}</th>{/each}
        <th>When clocks change</th>
      </tr>
    </thead>
    <tbody class="figures">
      {#each hours.data ?? [] as stretch (stretch.first)}
        <tr class="border-line border-b">
          <td class="py-1 pr-3">{stretch.first}</td>
          {#each stretch.times as time, k (k)}
            <td class="pr-3">
              <span class={time.works ? 'text-base font-bold' : 'text-base'}>{time.shown}</span>
              <span class="text-soft text-[11px]">{time.offset} {time.day}</span>
            </td>
          {/each}
          <td class="text-soft font-sans">{stretch.changed ? `in ${called(stretch.changed)}` : ''}</td>
        </tr>
      {/each}
    </tbody>
  </table>
  <p class="text-soft mt-2 text-[12px]">
    Bold: within working hours, {looking.clocks[0]?.from}–{looking.clocks[0]?.to}.
  </p>
  {#snippet actions()}<Action onclick={onclocks}>Other clocks…</Action>{/snippet}
</Sheet>
