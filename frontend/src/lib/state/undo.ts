import { goto } from '$app/navigation';
import type { QueryClient } from '@tanstack/svelte-query';
import { answer, client, type Schemas } from '$lib/api/client';
import { refreshAll } from '$lib/api/queries';
import { attempt } from '$lib/state/attempt.svelte';
import { notices } from '$lib/state/notice.svelte';

type Batch = { id: number; title: string };
/** What was done here last, in this window, and has not been taken back. */
let done: Batch | null = null;
/** What became of the last thing that was to be taken back here, as long as nothing else was done. */
let back: '' | 'undone' | 'proposed' = '';

/** Something was done here: `u` takes it back. */
export function didIt(id: number, title: string): void {
  [done, back] = [{ id, title }, ''];
}

/** Apply a proposal; from then on `u` takes it back. */
export async function apply(setId: number): Promise<Schemas['ChangeSetOut']> {
  const params = { path: { set_id: setId } };
  const made = await answer(client.POST('/api/change-sets/{set_id}/apply', { params }));
  didIt(made.id, made.title);
  return made;
}

/** Take a batch back; where entries changed since, the proposal is opened instead. */
export async function undo(queries: QueryClient, setId: number, title: string): Promise<void> {
  const ours = done?.id === setId;
  const before = { done, back };
  if (ours) [done, back] = [null, 'undone']; // at once: a second press must not ask for it again
  const went = await attempt(async () => {
    const made = await answer(client.POST('/api/change-sets/{set_id}/undo', { params: { path: { set_id: setId } } }));
    if (ours && !made.applied) back = 'proposed';
    await refreshAll(queries);
    if (made.applied) notices.say(`Undone: ${title}.`);
    else {
      const held = made.held ? `${made.held} of these entries changed since. ` : '';
      notices.say(`${held}Look at what taking it back would do.`);
      await goto(`/mend/${made.set_id}`);
    }
  });
  if (!went && ours) ({ done, back } = before);
}

/**
 * What `u` does: takes back what was done just now, here.
 *
 * Anything else, older, of somebody else, of another window, is only proposed; and from one batch it never goes on to
 * the one before.
 */
export async function undoLast(queries: QueryClient): Promise<void> {
  if (done) return undo(queries, done.id, done.title);
  if (back) return notices.say(`It is ${back} already. The logbook lists earlier batches.`);
  await attempt(async () => {
    const { last_batch } = await answer(client.GET('/api/route'));
    if (!last_batch) return notices.say('There is nothing to undo.');
    const params = { path: { set_id: last_batch.id }, query: { preview: true } };
    const made = await answer(client.POST('/api/change-sets/{set_id}/undo', { params }));
    back = 'proposed';
    await refreshAll(queries);
    notices.say(`“${last_batch.title}” was not done here just now. Look at what taking it back would do.`);
    await goto(`/mend/${made.set_id}`);
  });
}
