<script lang="ts">
  import Input from '$lib/ui/Input.svelte';
  import ProposalSheet from '$lib/ui/ProposalSheet.svelte';
  import { answer, client, type Schemas } from '$lib/api/client';
  import { counted } from '$lib/ui/words';

  /** Archiving: an archive file first, read back and compared, and only then a proposal to delete. */
  type Props = { selection: Schemas['SelectionIn']; chosen: number; name: string; onclose: () => void };
  const { selection, chosen, name, onclose }: Props = $props();

  // svelte-ignore state_referenced_locally (the proposed name is a start, the reader may change it)
  let file = $state(name);

  const queue = () => answer(client.POST('/api/archives', { body: { selection, name: file } }));
</script>

<ProposalSheet
  label="Archive"
  width={520}
  action="Write and check the archive"
  disabled={!file.trim()}
  {queue}
  said={(job) => `Archive ${job.result.archive} is written, read back and complete. Nothing has been deleted yet.`}
  {onclose}
>
  {#snippet children(busy)}
    <h2 class="mb-2 text-lg font-bold">Archive {counted(chosen, 'entry', 'entries')}</h2>
    <p class="mb-3">
      They are written to an archive file, and the file is read back. Only if it is complete is their deletion proposed
      for your review.
    </p>
    <label class="mb-3 flex items-center gap-2">
      <span class="w-24">Archive</span>
      <Input bind:value={file} disabled={busy} class="flex-1" />
      <span class="figures text-soft">.ics</span>
    </label>
  {/snippet}
</ProposalSheet>
