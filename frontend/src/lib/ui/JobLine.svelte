<script lang="ts">
  import { untrack } from 'svelte';
  import Action from '$lib/ui/Action.svelte';
  import { answer, client, type Job } from '$lib/api/client';
  import { jobQuery } from '$lib/api/queries';
  import { keys } from '$lib/state/keys.svelte';
  import { count, bytes } from '$lib/ui/words';

  /** A running job: how far it is, and a way to stop it. It goes on when the page is closed. */
  type Props = {
    id: number;
    onended: (job: Job) => void;
    /** It was not begun on this page, so the page can be used meanwhile. */
    behind?: boolean;
  };
  const { id, onended, behind = false }: Props = $props();
  $effect(() => (behind ? undefined : keys.hold()));

  const mine = untrack(() => id); // a line belongs to one job, also while it is taken off the page
  const job = jobQuery(() => mine);
  const share = $derived(job.data?.total ? Math.floor((100 * job.data.done) / job.data.total) : 0);
  const figures = $derived.by(() => {
    if (!job.data?.total) return 'waiting for its turn';
    const [done, total] = [job.data.done, job.data.total];
    return job.data.unit === 'bytes' ? `${bytes(done)} of ${bytes(total)}` : `${count(done)} of ${count(total)}`;
  });
  let told = false;

  $effect(() => {
    const data = job.data;
    if (data && ['done', 'failed', 'stopped'].includes(data.state) && !told) {
      told = true;
      untrack(() => onended(data));
    }
  });

  async function stop(): Promise<void> {
    await answer(client.POST('/api/jobs/{job_id}/stop', { params: { path: { job_id: mine } } }));
  }
</script>

<div class="flex items-center gap-3">
  <span class="min-w-0 flex-1">
    <span class="mb-1 flex gap-3">
      <span class="truncate">{job.data?.title ?? 'Starting'}</span>
      <span class="figures text-soft ml-auto whitespace-nowrap">{job.data?.message} {figures}</span>
    </span>
    <div
      role="progressbar"
      aria-label="Progress"
      aria-valuenow={Math.round(share)}
      aria-valuemin="0"
      aria-valuemax="100"
      class="h-1.5"
    >
      {#await import('$lib/ui/JobBar.svelte') then { default: JobBar }}<JobBar {share} />{/await}
    </div>
  </span>
  <Action onclick={() => void stop()}>Stop</Action>
</div>
