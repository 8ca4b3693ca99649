<script lang="ts">
  import ProposalSheet from '$lib/ui/ProposalSheet.svelte';
  import DayField from '$lib/time/DayField.svelte';
  import { answer, client } from '$lib/api/client';
  import { calendarsQuery } from '$lib/api/queries';
  import { thisYear } from '$lib/state/clock';
  import { count } from '$lib/ui/words';

  /** Cleaning by age: archives first, one a calendar, read back; then a proposal that removes what is in them. */
  const { onclose }: { onclose: () => void } = $props();
  const calendars = calendarsQuery();
  const may = $derived((calendars.data ?? []).filter((one) => one.writable && one.entries));
  let before = $state(`${thisYear()}-01-01`);
  let left = $state<number[]>([]);
  let shorten = $state(false);
  const chosen = $derived(may.filter((one) => !left.includes(one.id)));

  function queue() {
    const body = { before, calendars: left.length ? chosen.map((one) => one.id) : [], shorten };
    return answer(client.POST('/api/archives/by-age', { body }));
  }
</script>

<ProposalSheet
  label="Archive past events"
  width={620}
  action="Write and check the archives"
  disabled={!chosen.length}
  {queue}
  said={() => 'The archives are written, read back and complete. Nothing has been deleted yet.'}
  {onclose}
>
  <h2 class="mb-2 text-lg font-bold">Archive past events</h2>
  <p class="mb-3">
    Events that ended before this day are written to archives, one file for each calendar, and the files are read back.
    Only if they are complete is the deletion proposed for your review. A series that still has occurrences stays as it
    is.
  </p>
  <label class="mb-3 flex items-center gap-2"
    >Over before <DayField label="Over before" value={before} onchange={(day) => (before = day)} /></label
  >
  <label class="mb-3 flex gap-2"
    ><input type="checkbox" class="accent-brass" bind:checked={shorten} />
    <span>Shorten series that still have occurrences: their past is archived, and they begin on that day</span></label
  >
  <fieldset class="max-h-52 overflow-y-auto">
    <legend class="text-soft">From these calendars</legend>
    {#each may as one (one.id)}
      <label class="flex gap-2">
        <input
          type="checkbox"
          class="accent-brass"
          checked={!left.includes(one.id)}
          onchange={(event) =>
            (left = event.currentTarget.checked ? left.filter((id) => id !== one.id) : [...left, one.id])}
        />
        <span class="min-w-0 flex-1 truncate">{one.label}</span>
        <span class="figures text-soft">{count(one.entries)}</span>
      </label>
    {/each}
  </fieldset>
</ProposalSheet>
