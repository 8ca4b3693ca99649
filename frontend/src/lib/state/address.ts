import { goto } from '$app/navigation';
import { navigating, page } from '$app/state';

/**
 * Put what the page shows into its address, in place of the address before or as a step to go back to. Whoever is on
 * the way to another page meanwhile is not called back.
 */
export async function keepInAddress(address: string, replaceState = true): Promise<void> {
  const next = navigating.to?.url.pathname;
  if (next !== undefined && next !== new URL(address, page.url).pathname) return;
  await goto(address, { replaceState, keepFocus: true, noScroll: true });
}
