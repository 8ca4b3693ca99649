<script lang="ts">
  import { goto } from '$app/navigation';
  import Action from '$lib/ui/Action.svelte';
  import JobLine from '$lib/ui/JobLine.svelte';
  import Sheet from '$lib/ui/Sheet.svelte';
  import type { Job } from '$lib/api/client';
  import { attempt } from '$lib/state/attempt.svelte';
  import { notices } from '$lib/state/notice.svelte';
  import type { Snippet } from 'svelte';

  /** A dialog that ends in a proposal: its job runs in it, and leads to the page on which all is reviewed. */
  type Props = {
    label: string;
    /** What the button says. */
    action: string;
    disabled?: boolean;
    width?: number;
    /** Queue the job; nothing where it turned out that it cannot be begun. */
    queue: () => Promise<{ job_id: number } | null>;
    /** What is said once it is done. */
    said?: (job: Job) => string;
    onclose: () => void;
    children: Snippet<[boolean]>;
  };
  const { label, action, disabled = false, width, queue, said, onclose, children }: Props = $props();
  let job = $state<number | null>(null);

  async function start(): Promise<void> {
    await attempt(async () => {
      if (job === null) job = (await queue())?.job_id ?? null;
    });
  }

  function ended(done: Job): void {
    if (done.state === 'done') {
      if (said) notices.say(said(done));
      onclose();
      void goto(`/mend/${done.result.set_id}`);
    } else {
      job = null;
      notices.say(done.message, 'wrong');
    }
  }
</script>

<Sheet {label} {width} {onclose}>
  {@render children(job !== null)}
  {#if job !== null}<div class="mt-3"><JobLine id={job} onended={ended} /></div>{/if}
  {#snippet actions()}
    <Action kind="main" onclick={() => void start()} disabled={disabled || job !== null}>{action}</Action>
  {/snippet}
</Sheet>
