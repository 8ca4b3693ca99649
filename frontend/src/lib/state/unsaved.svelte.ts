/** What is being written and not saved yet: whatever would throw it away asks first. */
class Unsaved {
  /** What is to happen once somebody says that it may be thrown away. */
  asking = $state<(() => void) | null>(null);
  #forms: (() => boolean)[] = [];

  /** A form that says whether it holds anything that is not saved. */
  watch(dirty: () => boolean): () => void {
    this.#forms.push(dirty);
    return () => (this.#forms = this.#forms.filter((one) => one !== dirty));
  }

  get any(): boolean {
    return this.#forms.some((dirty) => dirty());
  }

  /** Go on to something else, asking first where something would be lost. */
  leave(go: () => void): void {
    if (this.any) this.asking = go;
    else go();
  }

  /** It may be thrown away. */
  drop(): void {
    const go = this.asking;
    this.#forms = [];
    this.asking = null;
    go?.();
  }
}

export const unsaved = new Unsaved();
