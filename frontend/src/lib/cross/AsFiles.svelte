<script lang="ts">
  import Action from '$lib/ui/Action.svelte';
  import Field from '$lib/ui/Field.svelte';
  import JobLine from '$lib/ui/JobLine.svelte';
  import Select from '$lib/ui/Select.svelte';
  import Sheet from '$lib/ui/Sheet.svelte';
  import { answer, client, type Job } from '$lib/api/client';
  import { key, query } from '$lib/api/queries';
  import { begin } from '$lib/state/attempt.svelte';
  import { notices } from '$lib/state/notice.svelte';
  import { counted } from '$lib/ui/words';

  /** A crossing as files, for systems that only import. */
  const { crossing, onclose }: { crossing: number; onclose: () => void } = $props();
  const systems = query(() => ({
    queryKey: key('fidelity', 'all'),
    queryFn: () => answer(client.GET('/api/matrices')),
  }));
  let system = $state('0');
  let entries = $state(0);
  let megabytes = $state(0);
  let job = $state<number | null>(null);
  let said = $state('');

  async function write(): Promise<void> {
    said = '';
    const params = { path: { crossing_id: crossing } };
    const body = { matrix_id: Number(system), entries: entries || 0, megabytes: megabytes || 0 };
    await begin(async () => {
      job = (await answer(client.POST('/api/crossings/{crossing_id}/files', { params, body }))).job_id;
    });
  }

  function ended(done: Job): void {
    job = null;
    if (done.state !== 'done') return notices.say(done.message, 'wrong');
    const { files = 0, entries = 0, left = 0 } = (done.result ?? {}) as Record<string, number>;
    said = `${counted(entries, 'entry', 'entries')} in ${counted(files, 'file', 'files')}; ${counted(left, 'entry was', 'entries were')} left behind, and listed.`;
  }
</script>

<Sheet label="As files" width={560} {onclose}>
  <h2 class="mb-2 text-lg font-bold">The lanes as files</h2>
  <p class="mb-3">For a system that only imports: one file a calendar, with the changes made on the way.</p>
  <Field label="What it keeps, as measured by a file">
    <Select bind:value={system} class="w-full">
      <option value="0">not known: nothing is done about losses</option>
      {#each systems.data ?? [] as one (one.id)}<option value={String(one.id)}>{one.name}</option>{/each}
    </Select>
  </Field>
  <div class="mb-3 flex flex-wrap gap-x-6 gap-y-2">
    <label class="flex items-center gap-2"
      >At most <input type="number" class="field w-28" min="0" bind:value={entries} aria-label="Entries a file" /> entries
      a file</label
    >
    <label class="flex items-center gap-2"
      >and <input type="number" class="field w-24" min="0" bind:value={megabytes} aria-label="Megabytes a file" /> MB</label
    >
    <span class="text-soft text-[13px]">0 for no bound. A series is never parted.</span>
  </div>
  {#if job !== null}<JobLine id={job} onended={ended} />{/if}
  {#if said}
    <p role="status">
      {said}
      <a class="text-brass underline" href="/api/crossings/{crossing}/files" download data-sveltekit-reload
        >Save the files</a
      >
    </p>
  {/if}
  {#snippet actions()}
    <Action kind="main" onclick={() => void write()} disabled={job !== null}>Write the files</Action>
  {/snippet}
</Sheet>
