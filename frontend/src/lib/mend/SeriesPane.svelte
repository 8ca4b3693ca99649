<script lang="ts">
  import { key, query } from '$lib/api/queries';
  import { goto } from '$app/navigation';
  import Action from '$lib/ui/Action.svelte';
  import DayField from '$lib/time/DayField.svelte';
  import SeriesStrip from '$lib/mend/SeriesStrip.svelte';
  import { answer, client, type Schemas } from '$lib/api/client';
  import { thisYear, today } from '$lib/state/clock';
  import { attempt } from '$lib/state/attempt.svelte';

  /** One series over a year, what is wrong with it, and the shapes it can be given. */
  type Props = { row: Schemas['SeriesRow']; marked: Schemas['SeriesRow'] | null; onmark: () => void };
  const { row, marked, onmark }: Props = $props();
  let year = $state(thisYear());
  let day = $state(today());
  const strip = query(() => ({
    queryKey: key('series-strip', row.entry.id, year),
    queryFn: () =>
      answer(
        client.GET('/api/series/{entry_id}/strip', { params: { path: { entry_id: row.entry.id }, query: { year } } }),
      ),
  }));

  async function shape(how: 'split' | 'end' | 'explode' | 'reanchor'): Promise<void> {
    await attempt(async () => {
      const params = { path: { entry_id: row.entry.id } };
      const made = await answer(client.POST('/api/series/{entry_id}/shape', { params, body: { how, day } }));
      await goto(`/mend/${made.set_id}`);
    });
  }
</script>

<div class="border-ink max-h-[46%] shrink-0 overflow-y-auto border-t px-4 py-2">
  <div class="flex flex-wrap items-baseline gap-x-4">
    <h2 class="text-lg leading-6 font-bold">{row.entry.what}</h2>
    <span>{row.entry.repeats}</span>
    <span class="text-soft">{row.entry.zone}</span>
    <span class="ml-auto flex items-center gap-2 text-[13px]">
      <button class="text-brass underline" onclick={() => (year -= 1)} aria-label="The year before">‹</button>
      <span class="figures">{year}</span>
      <button class="text-brass underline" onclick={() => (year += 1)} aria-label="The year after">›</button>
    </span>
  </div>
  {#if strip.data}
    <SeriesStrip strip={strip.data} />
    {#each strip.data.ill as one, k (k)}
      <p class="border-changed mt-1 border-l-4 pl-2 text-[13px]"><strong>{one.title}.</strong> {one.message}</p>
    {/each}
  {:else if strip.isError}<p class="text-removed">{strip.error.message}</p>
  {:else}<p class="text-soft" role="status">Reading the series…</p>{/if}
  <div class="mt-2 flex flex-wrap items-center gap-2 text-[13px]" data-form>
    <DayField label="Day" value={day} onchange={(value) => (day = value)} />
    <Action onclick={() => void shape('end')} hint="The last occurrence is on that day">End on this day…</Action>
    <Action onclick={() => void shape('split')} hint="Occurrences from that day on become a new series"
      >Split here…</Action
    >
    <Action onclick={() => void shape('explode')} hint="Each occurrence becomes a single event"
      >Convert to single events…</Action
    >
    <Action onclick={onmark} key="c" hint="Compare two series, occurrence by occurrence"
      >{marked && marked.entry.id !== row.entry.id
        ? `Compare with “${marked.entry.what}”`
        : marked
          ? 'Cancel the comparison'
          : 'Compare with another series'}</Action
    >
    <Action href="/look?filter={encodeURIComponent(`repeats:yes what:"${row.entry.what}"`)}">Show in the table</Action>
  </div>
</div>
