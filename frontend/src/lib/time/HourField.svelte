<script lang="ts">
  import { notices } from '$lib/state/notice.svelte';

  /** An hour of the day on 24 hours, however it is typed: 9, 930, 9:30, 2pm. What cannot be read stays, and is marked. */
  type Props = { value: string; label: string; onchange: (value: string) => void };
  const { value, label, onchange }: Props = $props();
  let wrong = $state(false);
  $effect(() => {
    void value;
    wrong = false;
  });

  function read(text: string): string | null {
    const match = /^(\d{1,2})[:.]?(\d{2})?\s*(am|pm)?$/i.exec(text.trim());
    if (!match) return null;
    let hour = Number(match[1]);
    const half = match[3]?.toLowerCase();
    if (half) hour = (hour % 12) + (half === 'pm' ? 12 : 0);
    const minute = Number(match[2] ?? 0);
    if (hour > 23 || minute > 59) return null;
    return `${String(hour).padStart(2, '0')}:${String(minute).padStart(2, '0')}`;
  }
</script>

<input
  class="field-small figures w-[58px]"
  aria-label={label}
  aria-invalid={wrong}
  {value}
  onchange={(event) => {
    const text = event.currentTarget.value;
    const found = read(text);
    wrong = found === null;
    if (found === null) return notices.say(`“${text}” is no hour. Type it like 9, 9:30, 930 or 2pm.`, 'wrong');
    event.currentTarget.value = found;
    onchange(found);
  }}
/>
