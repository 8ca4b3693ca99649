<script lang="ts">
  import { answer, client } from '$lib/api/client';
  import { notices } from '$lib/state/notice.svelte';
  import { looking } from './looking.svelte';

  /** A day, as 2026-11-25 or in words: tomorrow, 3 jun, next friday. */
  type Props = { value: string; label: string; onchange: (value: string) => void };
  const { value, label, onchange }: Props = $props();

  async function read(input: HTMLInputElement): Promise<void> {
    try {
      const query = { text: input.value, zone: looking.zone };
      const found = await answer(client.GET('/api/phrases/date', { params: { query } }));
      input.value = found.day;
      onchange(found.day);
    } catch (error) {
      input.value = value;
      notices.wrong(error);
    }
  }
</script>

<input
  class="field-small figures w-[104px]"
  aria-label={label}
  title="2026-11-25, or in words: tomorrow, 3 jun, next friday"
  {value}
  onchange={(event) => void read(event.currentTarget)}
/>
