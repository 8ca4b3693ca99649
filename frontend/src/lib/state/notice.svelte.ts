/** What just happened, said at the foot of the page until the next thing happens or it is closed. */
export type Tone = 'done' | 'wrong';

class Notices {
  text = $state('');
  tone = $state<Tone>('done');
  /** What it says was done here just now, and can be taken back. */
  undoable = $state(false);

  say(text: string, tone: Tone = 'done'): void {
    this.text = text;
    this.tone = tone;
    this.undoable = false;
  }

  /** Something was done that `u` takes back. */
  did(what: string): void {
    this.say(`${what}. Press u to undo.`);
    this.undoable = true;
  }

  wrong(error: unknown): void {
    this.say(error instanceof Error ? error.message : String(error), 'wrong');
  }

  clear(): void {
    this.text = '';
  }
}

export const notices = new Notices();
