import { goto } from '$app/navigation';
import type { QueryClient } from '@tanstack/svelte-query';
import { answer, client } from '$lib/api/client';
import { refreshAll } from '$lib/api/queries';
import { notices } from '$lib/state/notice.svelte';

/** Take a batch back; where entries changed since, the proposal is opened instead. */
export async function undo(queries: QueryClient, setId: number, title: string): Promise<void> {
  try {
    const done = await answer(client.POST('/api/change-sets/{set_id}/undo', { params: { path: { set_id: setId } } }));
    await refreshAll(queries);
    if (done.applied) notices.say(`Taken back: ${title}.`);
    else {
      notices.say(`${done.held} of these entries changed since. Look at what can be taken back.`);
      await goto(`/mend/${done.set_id}`);
    }
  } catch (error) {
    notices.wrong(error);
  }
}
