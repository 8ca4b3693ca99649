import type { Attachment } from 'svelte/attachments';
import { withArrows } from './focus';

const THINGS = 'a[href], button:not([disabled]), input:not([disabled]), select:not([disabled]), summary';

/** How a list goes to rows that are not drawn: to one by its number, and how many there are and fit on a screen. */
type Paged = { go: (row: number) => void; count: () => number; screen: () => number };

/**
 * A list by keys, everywhere the same: ↑ ↓ from row to row, → ← within a row, Enter does the first thing of a row, Tab
 * goes on to the next part of the page.
 *
 * A row is what `selector` finds; it has the focus as a whole, or what is in it if that is a single thing. Rows of a
 * list that is drawn in part stand in elements with `data-index`.
 */
export function rows(selector = 'li', paged?: Paged): Attachment<HTMLElement> {
  return (element) => {
    /** The row that was last in focus. */
    let last = 0;
    const all = () => [...element.querySelectorAll<HTMLElement>(selector)];
    const inside = (row: HTMLElement) => [...row.querySelectorAll<HTMLElement>(THINGS)];
    const stop = (row: HTMLElement) => {
      const things = inside(row);
      return (things.length === 1 && things[0]) || row;
    };
    const numbered = (row: HTMLElement) =>
      Number(row.closest<HTMLElement>('[data-index]')?.dataset.index ?? all().indexOf(row));
    const arrange = () => {
      const drawn = all();
      const held = drawn.find((row) => row.contains(document.activeElement));
      const way = held ?? drawn.find((row) => numbered(row) === last) ?? drawn[0];
      for (const row of drawn) {
        for (const thing of inside(row)) if (thing.tabIndex !== -1) thing.tabIndex = -1;
        row.tabIndex = -1;
      }
      if (!way) return;
      const place = held && held !== document.activeElement ? (document.activeElement as HTMLElement) : stop(way);
      place.tabIndex = 0;
    };
    const take = (event: Event) => {
      const row = (event.target as Element).closest<HTMLElement>(selector);
      if (row && element.contains(row)) last = numbered(row);
      arrange();
    };
    const toRow = (number: number) => {
      const wanted = Math.max(0, Math.min(number, (paged?.count() ?? all().length) - 1));
      const row = all().find((one) => numbered(one) === wanted);
      if (row) {
        stop(row).focus();
        row.scrollIntoView({ block: 'nearest' });
      } else paged?.go(wanted);
    };
    const onkeydown = (event: KeyboardEvent) => {
      const target = event.target as HTMLElement;
      if (event.ctrlKey || event.altKey || event.metaKey || event.shiftKey || event.defaultPrevented) return;
      if (target.closest('input:not([type=checkbox], [type=radio]), select, textarea')) return;
      const row = target.closest<HTMLElement>(selector);
      const here = row && element.contains(row) ? numbered(row) : null;
      const screen = paged?.screen() ?? 10;
      const to = {
        ArrowDown: here === null ? last : here + 1,
        ArrowUp: here === null ? last : here - 1,
        PageDown: (here ?? last) + screen,
        PageUp: (here ?? last) - screen,
        Home: 0,
        End: Infinity,
      }[event.key];
      if (to !== undefined) {
        const count = paged?.count() ?? all().length;
        if (!count || (here !== null && event.key.startsWith('Arrow') && (to < 0 || to >= count))) return;
        toRow(to);
      } else if (row && here !== null && (event.key === 'ArrowRight' || event.key === 'ArrowLeft')) {
        const places = [row, ...inside(row)];
        const at = places.findIndex((one) => one === target) + (event.key === 'ArrowRight' ? 1 : -1);
        const place = places[at];
        if (!place) return;
        (at === 0 ? stop(row) : place).focus();
      } else if (row && target === row && event.key === 'Enter') {
        (row.querySelector<HTMLElement>('[data-main]') ?? inside(row)[0])?.click();
      } else return;
      event.preventDefault();
      event.stopPropagation();
    };
    return withArrows(element, arrange, take, onkeydown);
  };
}
