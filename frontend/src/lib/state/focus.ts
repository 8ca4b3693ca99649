import type { Attachment } from 'svelte/attachments';
import { asking } from './keys.svelte';

/** Where keys go when nothing else has them: the place a page marks with `data-rest`, else all of it. */
export function toRest(): void {
  const main = document.querySelector('main');
  (main?.querySelector<HTMLElement>('[data-rest]') ?? main)?.focus({ preventScroll: true });
}

/** Watch that the focus is always on something: whatever had it and went, or was switched off, hands it on. */
export function watchFocus(): () => void {
  let waiting = false;
  const look = () => {
    if (waiting) return;
    waiting = true;
    requestAnimationFrame(() => {
      waiting = false;
      const held = document.activeElement;
      const nowhere = !held || held === document.body || !held.isConnected;
      // Whoever rests on the page as a whole is led to the place it marks as soon as that is there.
      const better = held?.matches('main') && held.querySelector('[data-rest]');
      if ((nowhere || better) && !asking()) toRest();
    });
  };
  const observer = new MutationObserver(look);
  observer.observe(document.body, { childList: true, subtree: true, attributes: true, attributeFilter: ['disabled'] });
  document.addEventListener('focusout', look);
  return () => {
    observer.disconnect();
    document.removeEventListener('focusout', look);
  };
}

const REACHABLE = 'a[href], button:not([disabled]), input:not([disabled]), select, textarea, [tabindex]';

/**
 * A drawer: takes the focus when it opens, closes with Escape wherever one is in it, and gives the focus back.
 *
 * What is focused is the place marked with `data-first`, else the drawer itself.
 */
export function drawer(close: () => void): Attachment<HTMLElement> {
  return (element) => {
    const before = document.activeElement as HTMLElement | null;
    element.tabIndex = -1;
    const first = () => element.querySelector<HTMLElement>('[data-first]');
    element.focus({ preventScroll: true });
    first()?.focus({ preventScroll: true });
    // What it shows may have to be fetched first.
    const observer = new MutationObserver(() => {
      const place = first();
      if (!place) return;
      observer.disconnect();
      if (document.activeElement === element) place.focus({ preventScroll: true });
    });
    if (!first()) observer.observe(element, { childList: true, subtree: true });
    const onkeydown = (event: KeyboardEvent) => {
      if (event.key !== 'Escape' || event.defaultPrevented || asking()) return;
      event.preventDefault();
      event.stopPropagation();
      close();
    };
    element.addEventListener('keydown', onkeydown);
    return () => {
      observer.disconnect();
      element.removeEventListener('keydown', onkeydown);
      const held = document.activeElement;
      if (held && held !== document.body && !element.contains(held)) return;
      if (before?.isConnected && before !== document.body) before.focus({ preventScroll: true });
      else toRest();
    };
  };
}

/** A place that has arrows of its own: settled again whenever what is in it changes; tells how to end it. */
export function withArrows(
  element: HTMLElement,
  arrange: () => void,
  take: (event: Event) => void,
  press: (event: KeyboardEvent) => void,
): () => void {
  element.dataset.arrows = '';
  arrange();
  const observer = new MutationObserver(arrange);
  observer.observe(element, { childList: true, subtree: true });
  element.addEventListener('focusin', take);
  element.addEventListener('keydown', press);
  return () => {
    observer.disconnect();
    element.removeEventListener('focusin', take);
    element.removeEventListener('keydown', press);
  };
}

/** One stop for Tab in a row of buttons; the arrows go from one to the next. `selector` says which belong to it. */
export function roving(selector = 'button, a'): Attachment<HTMLElement> {
  return (element) => {
    const all = () =>
      [...element.querySelectorAll<HTMLElement>(selector)].filter((one) =>
        one.checkVisibility({ visibilityProperty: true }),
      );
    const arrange = () => {
      const row = all();
      const stop = row.find((one) => one.tabIndex === 0 && !one.hasAttribute('disabled')) ?? row[0];
      for (const one of row) one.tabIndex = one === stop ? 0 : -1;
    };
    const take = (event: Event) => {
      const row = all();
      const now = (event.target as Element).closest<HTMLElement>(selector);
      if (now && row.includes(now)) for (const one of row) one.tabIndex = one === now ? 0 : -1;
    };
    const onkeydown = (event: KeyboardEvent) => {
      if (event.ctrlKey || event.altKey || event.metaKey || event.defaultPrevented) return;
      const row = all().filter((one) => !one.hasAttribute('disabled'));
      const at = row.indexOf((event.target as Element).closest<HTMLElement>(selector) as HTMLElement);
      if (at < 0) return;
      const to = { ArrowRight: at + 1, ArrowLeft: at - 1, Home: 0, End: row.length - 1 }[event.key];
      if (to === undefined) return;
      row[Math.max(0, Math.min(row.length - 1, to))]?.focus();
      event.preventDefault();
      event.stopPropagation();
    };
    return withArrows(element, arrange, take, onkeydown);
  };
}

/** A line that wraps and shows only its first row: what does not fit takes no focus; says how many fit. */
export function oneLine(fits: (count: number) => void): Attachment<HTMLElement> {
  return (element) => {
    const look = () => {
      const all = [...element.children] as HTMLElement[];
      let count = 0;
      for (const one of all) {
        const within = one.offsetLeft + one.offsetWidth <= element.offsetLeft + element.clientWidth + 1;
        const seen = one.offsetTop === all[0]?.offsetTop && within;
        one.style.visibility = seen ? '' : 'hidden';
        count += Number(seen);
      }
      fits(count);
    };
    const sizes = new ResizeObserver(look);
    const things = new MutationObserver(look);
    sizes.observe(element);
    things.observe(element, { childList: true, subtree: true, characterData: true });
    look();
    return () => {
      sizes.disconnect();
      things.disconnect();
    };
  };
}

/** The parts of a page in their order, for going from one to the next with F6. */
export function nextPart(by: 1 | -1): void {
  const parts = [
    ...document.querySelectorAll<HTMLElement>('header nav, main [data-part], main aside, section[data-deck]'),
  ];
  const held = document.activeElement;
  const at = parts.findLastIndex((part) => part.contains(held));
  for (let step = 1; step <= parts.length; step++) {
    const part = parts[(at + by * step + parts.length * 2) % parts.length];
    const place =
      part?.querySelector<HTMLElement>('[data-rest], [data-first]') ??
      (part?.tabIndex === 0 ? part : part?.querySelector<HTMLElement>(REACHABLE)) ??
      part; // a drawer whose fields are still on their way
    if (!place) continue;
    place.focus();
    // What can only be read has a first field that takes no focus: then the part has it as a whole.
    if (document.activeElement === held) part?.focus();
    if (document.activeElement !== held) return;
  }
}

/** The nearest of some boxes in a direction: straight on rather than aside. */
export function nearest(from: DOMRect, boxes: DOMRect[], x: number, y: number): number {
  const centre = (box: DOMRect) => [box.left + box.width / 2, box.top + box.height / 2] as const;
  const [cx, cy] = centre(from);
  let best = -1;
  let least = Infinity;
  boxes.forEach((box, k) => {
    const [bx, by] = centre(box);
    const ahead = (bx - cx) * x + (by - cy) * y;
    const aside = Math.abs((bx - cx) * y) + Math.abs((by - cy) * x);
    if (ahead < 2 || ahead + 2.5 * aside >= least) return;
    [best, least] = [k, ahead + 2.5 * aside];
  });
  return best;
}

const WAYS: Record<string, [number, number]> = {
  ArrowRight: [1, 0],
  ArrowLeft: [-1, 0],
  ArrowDown: [0, 1],
  ArrowUp: [0, -1],
};

/**
 * Things that lie about on an area: one stop for Tab, the arrows go to the nearest in their direction.
 *
 * `edge` is told when there is none further on to the right or the left. With `keep`, each stays a stop for Tab too, as
 * the buttons of a page are.
 */
export function walking(selector: string, edge?: (by: 1 | -1) => void, keep = false): Attachment<HTMLElement> {
  return (element) => {
    const all = () => [...element.querySelectorAll<HTMLElement>(selector)];
    const stop = (now: HTMLElement | undefined) => {
      if (keep) return;
      for (const one of all()) if ((one.tabIndex === 0) !== (one === now)) one.tabIndex = one === now ? 0 : -1;
    };
    const arrange = () => {
      const things = all();
      stop(
        things.find((one) => one === document.activeElement) ?? things.find((one) => one.tabIndex === 0) ?? things[0],
      );
    };
    const take = (event: Event) => {
      const now = (event.target as Element).closest<HTMLElement>(selector);
      if (now) stop(now);
    };
    const onkeydown = (event: KeyboardEvent) => {
      const way = WAYS[event.key];
      if (!way || event.ctrlKey || event.altKey || event.metaKey || event.shiftKey || event.defaultPrevented) return;
      if ((event.target as Element).closest('input, select, textarea')) return;
      const things = all();
      if (!things.length) return;
      const held = event.target as HTMLElement;
      const now = held.closest<HTMLElement>(selector) ?? (held === element ? null : held);
      const at = now
        ? nearest(
            now.getBoundingClientRect(),
            things.map((one) => one.getBoundingClientRect()),
            ...way,
          )
        : Math.max(
            0,
            things.findIndex((one) => one.tabIndex === 0),
          );
      if (at >= 0) things[at]?.focus();
      else if (way[0] && edge) edge(way[0] as 1 | -1);
      else return;
      event.preventDefault();
      event.stopPropagation();
    };
    return withArrows(element, arrange, take, onkeydown);
  };
}
