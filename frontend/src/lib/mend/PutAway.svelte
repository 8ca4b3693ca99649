<script lang="ts">
  import { goto } from '$app/navigation';
  import Action from '$lib/ui/Action.svelte';
  import JobLine from '$lib/ui/JobLine.svelte';
  import Sheet from '$lib/ui/Sheet.svelte';
  import DayField from '$lib/time/DayField.svelte';
  import { answer, client, type Job } from '$lib/api/client';
  import { calendarsQuery } from '$lib/api/queries';
  import { attempt } from '$lib/state/attempt';
  import { thisYear } from '$lib/state/clock';
  import { notices } from '$lib/state/notice.svelte';
  import { count } from '$lib/ui/words';

  /** Cleaning by age: archives first, one a calendar, read back; then a proposal that removes what is in them. */
  const { onclose }: { onclose: () => void } = $props();
  const calendars = calendarsQuery();
  const may = $derived((calendars.data ?? []).filter((one) => one.writable && one.entries));
  let before = $state(`${thisYear()}-01-01`);
  let left = $state<number[]>([]);
  let shorten = $state(false);
  let job = $state<number | null>(null);
  const chosen = $derived(may.filter((one) => !left.includes(one.id)));

  async function start(): Promise<void> {
    await attempt(async () => {
      const body = { before, calendars: left.length ? chosen.map((one) => one.id) : [], shorten };
      job = (await answer(client.POST('/api/archives/by-age', { body }))).job_id;
    });
  }

  function ended(done: Job): void {
    if (done.state === 'done') {
      notices.say('The archives are written, read back and complete. Nothing is deleted yet.');
      onclose();
      void goto(`/mend/${done.result.set_id}`);
    } else {
      job = null;
      notices.say(done.message, 'wrong');
    }
  }
</script>

<Sheet label="Put away the old years" width={620} {onclose}>
  <h2 class="mb-2 text-lg font-bold">Put away the old years</h2>
  <p class="mb-3">
    What is over before this day is written to archives, one file a calendar. They are read back, and only if they are
    complete its deletion is proposed, for you to look at. A series that still runs stays as it is.
  </p>
  <label class="mb-3 flex items-center gap-2"
    >Over before <DayField label="Over before" value={before} onchange={(day) => (before = day)} /></label
  >
  <label class="mb-3 flex gap-2"
    ><input type="checkbox" class="accent-brass" bind:checked={shorten} />
    <span>Shorten series that still run: their past goes into the archive, and they begin on that day</span></label
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
  {#if job !== null}<div class="mt-3"><JobLine id={job} onended={ended} /></div>{/if}
  {#snippet actions()}
    <Action kind="main" onclick={() => void start()} disabled={job !== null || !chosen.length}>
      Write and check the archives
    </Action>
  {/snippet}
</Sheet>
