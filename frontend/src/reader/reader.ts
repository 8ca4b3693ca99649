/**
 * The readers' page works without this; with it, looking on is quicker and the keys work.
 *
 * The server makes every view; here the next one is fetched and put in the place of the one that is shown.
 */
const own = (element: Element | null, name: string): string => element?.getAttribute(name) ?? '';
const LOOK_AGAIN = 5 * 60_000;
let shown = 0;

async function show(address: string, push = true): Promise<void> {
  const number = ++shown;
  try {
    const answer = await fetch(address, { headers: { Accept: 'text/html' } });
    const made = new DOMParser().parseFromString(await answer.text(), 'text/html');
    if (number !== shown) return;
    if (!answer.ok || !made.getElementById('shared')) return location.assign(address);
    const before = document.activeElement?.closest('[data-key]')?.getAttribute('data-key');
    const opening = document.activeElement?.matches('[data-entry]');
    for (const part of ['.bar', '#shared']) {
      const old = document.querySelector(part);
      const fresh = made.querySelector(part);
      if (old && fresh) old.replaceWith(document.adoptNode(fresh));
    }
    if (push) history.pushState(null, '', address);
    offerClock();
    const details = document.querySelector<HTMLElement>('.details .ways a:last-child');
    const again = before && document.querySelector<HTMLElement>(`[data-key="${CSS.escape(before)}"]`);
    (opening && details ? details : again || document.getElementById('shared'))?.focus({ preventScroll: !details });
  } catch {
    location.assign(address);
  }
}

/** The reader's own zone, beside the calendar's. */
function offerClock(): void {
  const zone = Intl.DateTimeFormat().resolvedOptions().timeZone;
  const choice = document.querySelector<HTMLSelectElement>('#zone');
  if (!choice || !zone || [...choice.options].some((one) => one.value === zone)) return;
  const place = zone.split('/').pop()?.replaceAll('_', ' ') ?? zone;
  choice.append(new Option(`${own(document.getElementById('shared'), 'data-yours')}: ${place}`, zone));
}

function remembered(name: string, value?: string): string {
  try {
    if (value !== undefined) localStorage.setItem(name, value);
    return localStorage.getItem(name) ?? '';
  } catch {
    return value ?? ''; // in a frame of another site nothing may be remembered
  }
}

function theme(): void {
  const root = document.documentElement;
  const button = document.getElementById('theme');
  const said = remembered('theme');
  if (said) root.dataset.theme = said;
  if (!button) return;
  button.hidden = false;
  button.addEventListener('click', () => {
    const night = root.dataset.theme
      ? root.dataset.theme === 'night'
      : matchMedia('(prefers-color-scheme: dark)').matches;
    root.dataset.theme = remembered('theme', night ? 'day' : 'night') || (night ? 'day' : 'night');
  });
}

document.addEventListener('click', (event) => {
  const link = (event.target as Element).closest<HTMLAnchorElement>('a[data-go]');
  if (!link || event.ctrlKey || event.metaKey || event.shiftKey || event.button) return;
  event.preventDefault();
  link.focus();
  void show(link.href);
});
document.addEventListener('submit', (event) => {
  const form = event.target as HTMLFormElement;
  if (!form.matches('form[data-go]')) return;
  event.preventDefault();
  const said = new URLSearchParams([...new FormData(form)].map(([name, value]) => [name, String(value)]));
  void show(`?${said}`);
});
document.addEventListener('change', (event) => {
  if ((event.target as Element).matches('#zone')) (event.target as HTMLSelectElement).form?.requestSubmit();
});
document.addEventListener('keydown', (event) => {
  const typing = (event.target as Element).closest('input, select, textarea');
  if (event.ctrlKey || event.metaKey || event.altKey || (typing && event.key !== 'Escape')) return;
  const wanted = document.querySelector<HTMLElement>(`[data-key="${CSS.escape(event.key)}"]`);
  if (!wanted) return;
  event.preventDefault();
  wanted.focus();
  if (wanted instanceof HTMLAnchorElement) void show(wanted.href);
  else if (wanted instanceof HTMLInputElement) wanted.select();
});
addEventListener('popstate', () => void show(location.href, false));
setInterval(() => {
  const busy = document.activeElement?.closest('form, .details');
  if (document.visibilityState === 'visible' && !busy) void show(location.href, false);
}, LOOK_AGAIN);
theme();
offerClock();

export {};
