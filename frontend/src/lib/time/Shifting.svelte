<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query';
  import { answer, client, type Schemas } from '$lib/api/client';
  import { refreshAll } from '$lib/api/queries';
  import { attempt } from '$lib/state/attempt.svelte';
  import { notices } from '$lib/state/notice.svelte';
  import { didIt } from '$lib/state/undo';
  import AskScope from './AskScope.svelte';
  import type { Piece } from './layout';
  import { looking } from '$lib/state/looking.svelte';

  /** An event is moved or stretched; of a series it is asked first how much of it is meant. */
  type Props = { byId: Map<number, Schemas['CalendarOut']>; onshifted: () => void };
  const { byId, onshifted }: Props = $props();
  const queries = useQueryClient();
  let asking = $state<{ piece: Piece; begin: number; end: number } | null>(null);

  /** `begin` and `end` say by how many minutes each of the two moves. */
  export function shift(piece: Piece, begin: number, end: number): void {
    const calendar = byId.get(piece.calendar);
    if (!calendar?.writable) {
      notices.say(`${calendar?.label} can only be read. Drag the entry onto another layer to copy it.`);
    } else if (piece.series) asking = { piece, begin, end };
    else void write(piece, begin, end, 'one');
  }

  async function write(piece: Piece, begin: number, end: number, scope: 'one' | 'following' | 'all'): Promise<void> {
    asking = null;
    await attempt(async () => {
      const { entry, series, slot } = piece;
      const body = { entry, series, slot, begin, end, zone: looking.zone, scope };
      const done = await answer(client.POST('/api/shifts', { body }));
      onshifted();
      didIt(done.set_id, done.title);
      await refreshAll(queries);
      notices.did(done.title);
    });
  }
</script>

{#if asking}
  {@const { piece, begin, end } = asking}
  <AskScope
    {piece}
    {begin}
    {end}
    onclose={() => (asking = null)}
    onchoose={(scope) => void write(piece, begin, end, scope)}
  />
{/if}
