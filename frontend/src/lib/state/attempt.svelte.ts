import { tick } from 'svelte';
import { keys } from '$lib/state/keys.svelte';
import { notices } from '$lib/state/notice.svelte';

/** How many acts are under way: the page is busy with them. */
class Acts {
  count = $state(0);
}
export const acts = new Acts();

/** Do something that the server may refuse; what it says then is shown. Tells whether it was done. */
export async function attempt(work: () => Promise<unknown>): Promise<boolean> {
  acts.count++;
  try {
    await work();
    return true;
  } catch (error) {
    notices.wrong(error);
    return false;
  } finally {
    acts.count--;
  }
}

/** Ask for a job. Keys that change something rest until it has been begun; from then on its line on the page sees to it. */
export async function begin(work: () => Promise<unknown>): Promise<boolean> {
  const release = keys.hold();
  const begun = await attempt(work);
  await tick();
  release();
  return begun;
}
