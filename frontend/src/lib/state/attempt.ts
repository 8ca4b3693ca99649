import { notices } from '$lib/state/notice.svelte';

/** Do something that the server may refuse; what it says then is shown. Tells whether it was done. */
export async function attempt(work: () => Promise<unknown>): Promise<boolean> {
  try {
    await work();
    return true;
  } catch (error) {
    notices.wrong(error);
    return false;
  }
}
