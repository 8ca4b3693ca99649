<script lang="ts">
  import { answer, client } from '$lib/api/client';
  import { reads } from '$lib/state/fields';
  import { notices } from '$lib/state/notice.svelte';
  import { looking } from '$lib/state/looking.svelte';

  /** A day, as 2026-11-25 or in words: tomorrow, 3 jun, next friday. What cannot be read stays, and is marked. */
  type Props = { value: string; label: string; placeholder?: string; onchange: (value: string) => unknown };
  const { value, label, placeholder = '', onchange }: Props = $props();
  let wrong = $state(false);
  $effect(() => {
    void value;
    wrong = false;
  });

  async function read(input: HTMLInputElement): Promise<void> {
    const text = input.value;
    try {
      const query = { text, zone: looking.zone };
      const found = await answer(client.GET('/api/phrases/date', { params: { query } }));
      if (input.value !== text) return; // typed on meanwhile: that is read next
      input.value = found.day;
      wrong = false;
      await onchange(found.day);
    } catch (error) {
      wrong = true;
      notices.wrong(error);
    }
  }
</script>

<input
  class="field-small figures w-[104px]"
  aria-label={label}
  aria-invalid={wrong}
  title="2026-11-25, or in words: tomorrow, 3 jun, next friday"
  {placeholder}
  {value}
  onchange={(event) => void reads(read(event.currentTarget))}
/>
