<script lang="ts">
  import Input from '$lib/ui/Input.svelte';
  import { useQueryClient } from '@tanstack/svelte-query';
  import Action from '$lib/ui/Action.svelte';
  import { answer, client, type Calendar } from '$lib/api/client';
  import { refreshAll } from '$lib/api/queries';
  import { attempt } from '$lib/state/attempt';
  import { notices } from '$lib/state/notice.svelte';
  import { looking } from './looking.svelte';

  /** A new event in a typed line: what, when, and on whose clock. */
  type Props = { calendars: Calendar[]; usual: number; onclose: () => void; onmade: (day: string) => void };
  const { calendars, usual, onclose, onmade }: Props = $props();

  const queries = useQueryClient();
  let text = $state('');
  let chosen = $state(0);
  let input = $state<HTMLInputElement>();
  $effect(() => input?.focus());

  async function add(): Promise<void> {
    await attempt(async () => {
      const body = { calendar: chosen || usual, text, zone: looking.zone };
      const done = await answer(client.POST('/api/lines', { body }));
      notices.say(
        `${done.title}, added to ${calendars.find((one) => one.id === body.calendar)?.label}. u takes it back.`,
      );
      onclose();
      onmade(done.day);
      await refreshAll(queries);
    });
  }
</script>

<form
  class="border-line bg-shade flex items-center gap-2 border-b px-4 py-1.5"
  onsubmit={(event) => {
    event.preventDefault();
    void add();
  }}
>
  <Input
    bind:element={input}
    bind:value={text}
    class="flex-1"
    aria-label="New event in a line"
    placeholder="Berth 3 crane check, tue 14:00–15:30, Hobart time"
    onkeydown={(event) => event.key === 'Escape' && onclose()}
  />
  <select
    class="field"
    aria-label="Layer of the new event"
    value={chosen || usual}
    onchange={(event) => (chosen = Number(event.currentTarget.value))}
  >
    {#each calendars.filter((one) => one.writable) as one (one.id)}<option value={one.id}>{one.label}</option>{/each}
  </select>
  <Action kind="main" submit disabled={!text.trim()}>Add it</Action>
</form>
