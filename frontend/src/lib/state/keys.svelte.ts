import { notices } from './notice.svelte';

/** What somebody wants who presses a key: the list under `?` is grouped by it, in this order. */
export const AIMS = {
  find: 'Find and select',
  time: 'Move in time',
  layers: 'Layers',
  change: 'Change and undo',
  go: 'Go to',
} as const;
/** Keys that work on a page: each page offers its own, the list under `?` shows those that work here. */
export type Key = { key: string; does: string; run?: () => void; aim?: keyof typeof AIMS };

const CAPS: Record<string, string> = {
  ' ': 'Space',
  ArrowRight: '→',
  ArrowLeft: '←',
  ArrowUp: '↑',
  ArrowDown: '↓',
  Escape: 'Esc',
  '-': '−',
};
/** A key as it stands on the keyboard. */
export const cap = (key: string): string => CAPS[key] ?? key;

/** While a question is open, nothing behind it takes keys. */
export const asking = (): boolean => document.querySelector('dialog:modal') !== null;

const TYPED = 'textarea, [contenteditable], input:not([type=checkbox], [type=radio], [type=button], [type=submit])';

class Keys {
  /** How many jobs that a page has begun are running, or about to. */
  #jobs = 0;

  #pages = $state<Key[][]>([]);

  offer(keys: Key[]): () => void {
    this.#pages.push(keys);
    const offered = this.#pages[this.#pages.length - 1];
    return () => {
      this.#pages = this.#pages.filter((page) => page !== offered);
    };
  }

  /** A page begins a job: keys that change something rest until it has ended. */
  hold(): () => void {
    this.#jobs++;
    let held = true;
    return () => {
      if (held) this.#jobs--;
      held = false;
    };
  }

  get all(): Key[] {
    return this.#pages.flat();
  }

  press(event: KeyboardEvent): void {
    if (event.defaultPrevented || event.altKey || event.isComposing || asking()) return;
    const target = event.target as Element;
    if (target.closest(TYPED)) return;
    const held = event.ctrlKey || event.metaKey;
    const pressed = held ? `Ctrl+${event.key.toUpperCase()}` : event.key;
    // What is marked in the text is copied as everywhere.
    if (pressed === 'Ctrl+C' && window.getSelection()?.toString()) return;
    const match = this.all.findLast((key) => key.run && key.key === pressed);
    const choice = target.closest('select');
    // In a choice the arrows and Space are the choice's; a letter that means something on the page does neither.
    if (choice && !held && event.key.length === 1 && event.key !== ' ' && match) return event.preventDefault();
    if (choice || !match?.run) return;
    event.preventDefault();
    if (this.#jobs && match.aim === 'change')
      return notices.say('A job is running on this page. Keys that change data work again when it has finished.');
    match.run();
  }
}

export const keys = new Keys();
