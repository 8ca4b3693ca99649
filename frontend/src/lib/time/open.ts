import { goto } from '$app/navigation';
import { answer, client } from '$lib/api/client';
import { attempt } from '$lib/state/attempt.svelte';
import { notices } from '$lib/state/notice.svelte';
import { looking } from '$lib/state/looking.svelte';

/** Open an entry where it happens: its next occurrence, else its last. */
export function showInTime(id: number): Promise<boolean> {
  return attempt(async () => {
    await looking.load();
    const params = { path: { entry_id: id }, query: { zone: looking.zone } };
    const found = await answer(client.GET('/api/entries/{entry_id}/occurrences', { params }));
    if (!found.around) return notices.say('This entry has no date.', 'wrong');
    const one = found.upcoming.find((next) => next.day === found.around) ?? found.last ?? found.first;
    await goto(`/look/time?view=week&on=${found.around}${one ? `&open=${one.key}` : ''}`);
  });
}
