<script lang="ts">
  import Input from '$lib/ui/Input.svelte';
  import { goto } from '$app/navigation';
  import Action from '$lib/ui/Action.svelte';
  import Sheet from '$lib/ui/Sheet.svelte';
  import JobLine from '$lib/ui/JobLine.svelte';
  import { answer, client, type Job, type Schemas } from '$lib/api/client';
  import { notices } from '$lib/state/notice.svelte';
  import { counted } from '$lib/ui/words';

  /** Archiving: an archive file first, read back and compared, and only then a proposal to delete. */
  type Props = { selection: Schemas['SelectionIn']; chosen: number; name: string; onclose: () => void };
  const { selection, chosen, name, onclose }: Props = $props();

  // svelte-ignore state_referenced_locally (the proposed name is a start, the reader may change it)
  let file = $state(name);
  let job = $state<number | null>(null);

  async function start(): Promise<void> {
    try {
      job = (await answer(client.POST('/api/archives', { body: { selection, name: file } }))).job_id;
    } catch (error) {
      notices.wrong(error);
    }
  }

  function ended(done: Job): void {
    if (done.state === 'done') {
      notices.say(`Archive ${done.result.archive} is written, read back and complete. Nothing is deleted yet.`);
      onclose();
      void goto(`/mend/${done.result.set_id}`);
    } else {
      job = null;
      notices.say(done.message, 'wrong');
    }
  }
</script>

<Sheet label="Archive" width={520} {onclose}>
  <h2 class="mb-2 text-lg font-bold">Archive {counted(chosen, 'entry', 'entries')}</h2>
  <p class="mb-3">
    They are written to an archive file. The file is read back, and only if it is complete their deletion is proposed,
    for you to look at.
  </p>
  <label class="mb-3 flex items-center gap-2">
    <span class="w-24">Archive</span>
    <Input bind:value={file} disabled={job !== null} class="flex-1" />
    <span class="figures text-soft">.ics</span>
  </label>
  {#if job !== null}<JobLine id={job} onended={ended} />{/if}
  {#snippet actions()}
    <Action kind="main" onclick={() => void start()} disabled={job !== null || !file.trim()}>
      Write and check the archive
    </Action>
  {/snippet}
</Sheet>
