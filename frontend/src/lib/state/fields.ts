import { tick } from 'svelte';

/** What is typed counts: nothing acts before the fields have read it, and nothing acts on what cannot be read. */
const typed = new Set<HTMLInputElement>();
const readings = new Set<Promise<unknown>>();
/** What is to act as soon as all is read; whoever presses twice meanwhile has it done once. */
const waiting = new Set<EventTarget>();

/** A field reads what was typed with the help of the server: whatever acts waits for it. */
export function reads(reading: Promise<unknown>): Promise<unknown> {
  readings.add(reading);
  return reading.finally(() => readings.delete(reading));
}

/** The fields that belong to what is pressed. */
const about = (one: Element) => one.closest('dialog, aside, form, [data-form]');

async function allRead(): Promise<void> {
  for (const field of typed) field.dispatchEvent(new Event('change', { bubbles: true }));
  while (readings.size) await Promise.allSettled(readings);
  await tick();
  // A button pressed by Enter takes no other click before this one is over.
  await new Promise((over) => setTimeout(over));
}

/** Hold what acts until all is read, then let it through; where something could not be read, lead there instead. */
function hold(event: Event, by: HTMLElement, again: () => void): void {
  for (const field of typed) if (!field.isConnected) typed.delete(field);
  const wrong = () => about(by)?.querySelector<HTMLElement>('input[aria-invalid="true"]');
  if (!typed.size && !readings.size && !wrong()) return;
  event.preventDefault();
  event.stopImmediatePropagation();
  if (waiting.has(by)) return;
  waiting.add(by);
  void allRead().then(() => {
    waiting.delete(by);
    const field = wrong();
    if (field) field.focus();
    else if (by.isConnected) again();
  });
}

/** Watch that whatever acts (a form that is sent, a button that is marked `data-acts`) waits for the fields. */
export function watchFields(): () => void {
  const listeners: Record<string, (event: Event) => void> = {
    submit: (event) => {
      const form = event.target as HTMLFormElement;
      hold(event, form, () => form.requestSubmit());
    },
    click: (event) => {
      const button = (event.target as Element).closest<HTMLButtonElement>('button[data-acts]');
      // A button that sends a form has the form held.
      if (button && button.type !== 'submit') hold(event, button, () => button.click());
    },
    input: (event) => {
      if (event.target instanceof HTMLInputElement) typed.add(event.target);
    },
    change: (event) => typed.delete(event.target as HTMLInputElement),
  };
  for (const [name, listen] of Object.entries(listeners)) window.addEventListener(name, listen, true);
  return () => {
    for (const [name, listen] of Object.entries(listeners)) window.removeEventListener(name, listen, true);
  };
}
