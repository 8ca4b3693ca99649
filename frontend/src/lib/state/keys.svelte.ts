/** Keys that work on a page: each page offers its own, the list under `?` shows those that work here. */
export type Key = { key: string; does: string; run?: () => void };

class Keys {
  #pages = $state<Key[][]>([]);

  offer(keys: Key[]): () => void {
    this.#pages.push(keys);
    const offered = this.#pages[this.#pages.length - 1];
    return () => {
      this.#pages = this.#pages.filter((page) => page !== offered);
    };
  }

  get all(): Key[] {
    return this.#pages.flat();
  }

  press(event: KeyboardEvent): void {
    if (event.ctrlKey || event.metaKey || event.altKey || event.defaultPrevented) return;
    const target = event.target as HTMLElement;
    if (target.closest('input, textarea, select, [contenteditable]')) return;
    const match = this.all.findLast((key) => key.run && key.key === event.key);
    if (match?.run) {
      event.preventDefault();
      match.run();
    }
  }
}

export const keys = new Keys();
