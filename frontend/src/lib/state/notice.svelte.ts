/** What just happened, said at the foot of the page until the next thing happens or it is closed. */
export type Tone = 'done' | 'wrong';

class Notices {
  text = $state('');
  tone = $state<Tone>('done');

  say(text: string, tone: Tone = 'done'): void {
    this.text = text;
    this.tone = tone;
  }

  wrong(error: unknown): void {
    this.say(error instanceof Error ? error.message : String(error), 'wrong');
  }

  clear(): void {
    this.text = '';
  }
}

export const notices = new Notices();
