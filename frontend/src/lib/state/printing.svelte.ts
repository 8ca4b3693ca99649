import { tick } from 'svelte';

/** Printing: lists that are drawn in part are first drawn as a whole, and as they were again afterwards. */
class Printing {
  /** A page is being printed, or got ready for it. */
  on = $state(false);
  #lists: (() => Promise<unknown>)[] = [];

  /** A list that fetches all of its rows when they are to be printed. */
  lists(ready: () => Promise<unknown>): () => void {
    this.#lists.push(ready);
    return () => (this.#lists = this.#lists.filter((one) => one !== ready));
  }

  async print(): Promise<void> {
    this.on = true;
    try {
      await Promise.all(this.#lists.map((ready) => ready()));
      await tick();
      window.print();
    } finally {
      this.on = false;
    }
  }
}

export const printing = new Printing();
