<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query';
  import { answer, client, type Schemas } from '$lib/api/client';
  import { refreshAll } from '$lib/api/queries';
  import { attempt } from '$lib/state/attempt.svelte';
  import { notices } from '$lib/state/notice.svelte';

  /** The lanes of a crossing as a sheet: saved, and taken back; rows that cannot be used are handed on. */
  type Props = { crossing: number; onunreadable: (rows: Schemas['UnreadableOut'][]) => void };
  const { crossing, onunreadable }: Props = $props();
  const queries = useQueryClient();
  let file: HTMLInputElement | undefined = $state();

  async function take(): Promise<void> {
    const given = file?.files?.[0];
    if (!file || !given) return;
    const text = given.text();
    file.value = ''; // the next sheet may come while this one is looked at
    await attempt(async () => {
      const params = { path: { crossing_id: crossing } };
      const body = { text: await text };
      const unreadable = await answer(client.POST('/api/crossings/{crossing_id}/sheet', { params, body }));
      onunreadable(unreadable);
      if (!unreadable.length) notices.say('The lanes are those of the sheet now.');
      await refreshAll(queries);
    });
  }
</script>

<a class="text-brass underline" href="/api/crossings/{crossing}/sheet" download data-sveltekit-reload
  >Lanes as a sheet</a
>
<button class="text-brass underline" onclick={() => file?.click()}>Lanes from a sheet…</button>
<input
  bind:this={file}
  type="file"
  accept=".csv,text/csv"
  class="hidden"
  aria-label="A sheet of lanes"
  onchange={() => void take()}
/>
