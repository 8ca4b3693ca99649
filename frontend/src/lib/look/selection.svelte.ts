import type { Schemas } from '$lib/api/client';

/** What is selected in the table: single rows, or all that match the filter less some. */
export class Selection {
  all = $state(false);
  ids = $state(new Set<number>());

  has(id: number): boolean {
    return this.all !== this.ids.has(id);
  }

  toggle(id: number): void {
    const next = new Set(this.ids);
    if (!next.delete(id)) next.add(id);
    this.ids = next;
  }

  only(ids: number[]): void {
    this.all = false;
    this.ids = new Set(ids);
  }

  add(ids: number[]): void {
    const next = new Set(this.ids);
    for (const id of ids) {
      if (this.all) next.delete(id);
      else next.add(id);
    }
    this.ids = next;
  }

  everything(): void {
    this.all = true;
    this.ids = new Set();
  }

  clear(): void {
    this.all = false;
    this.ids = new Set();
  }

  count(total: number): number {
    return this.all ? total - this.ids.size : this.ids.size;
  }

  asked(filter: string): Schemas['SelectionIn'] {
    const ids = [...this.ids];
    return this.all ? { filter, excluded: ids, only: null } : { filter, excluded: [], only: ids };
  }
}
