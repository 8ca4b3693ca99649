import type { Schemas } from '$lib/api/client';

/** A step of a change in bulk, as the server knows it. */
export type Step = Schemas['StepsIn']['steps'][number];
export type Kind = NonNullable<Step['do']>;

/** The steps by what somebody wants, each as it is before anything is said. */
export const STEPS: { name: string; steps: { kind: Kind; name: string; fresh: () => Step }[] }[] = [
  {
    name: 'When',
    steps: [
      { kind: 'shift', name: 'Shift by a duration', fresh: () => ({ do: 'shift', days: 0, minutes: 60 }) },
      { kind: 'all-day', name: 'Timed events to all-day', fresh: () => ({ do: 'all-day' }) },
      {
        kind: 'timed',
        name: 'All-day events to timed',
        fresh: () => ({ do: 'timed', at: '09:00', minutes: 60, zone: '' }),
      },
      {
        kind: 'clock',
        name: 'Change the zone',
        fresh: () => ({ do: 'clock', zone: 'UTC', keep: 'clock', of: null, otherwise: 'leave' }),
      },
      {
        kind: 'misread',
        name: 'Correct a misread zone',
        fresh: () => ({ do: 'misread', zone: 'UTC', was: 'UTC', of: null, otherwise: 'leave' }),
      },
      {
        kind: 'days-again',
        name: 'Restore all-day events',
        fresh: () => ({ do: 'days-again', zone: 'UTC', of: null }),
      },
      { kind: 'end-series', name: 'End series at a day', fresh: () => ({ do: 'end-series', last: '' }) },
      { kind: 'begin-series', name: 'Begin series at a day', fresh: () => ({ do: 'begin-series', first: '' }) },
    ],
  },
  {
    name: 'What it says',
    steps: [
      {
        kind: 'replace',
        name: 'Find and replace',
        fresh: () => ({ do: 'replace', field: 'title', find: '', by: '', pattern: false, cases: false }),
      },
      { kind: 'categories', name: 'Categories', fresh: () => ({ do: 'categories', mode: 'add', values: [] }) },
      { kind: 'busy', name: 'Busy or free', fresh: () => ({ do: 'busy', busy: true }) },
      { kind: 'privacy', name: 'Privacy', fresh: () => ({ do: 'privacy', privacy: 'PRIVATE' }) },
      { kind: 'status', name: 'Status', fresh: () => ({ do: 'status', status: 'CONFIRMED' }) },
      {
        kind: 'alarms',
        name: 'Alarms',
        fresh: () => ({ do: 'alarms', mode: 'set', minutes: 15, related: 'start' }),
      },
    ],
  },
  {
    name: 'Who',
    steps: [
      { kind: 'map-address', name: 'Replace addresses', fresh: () => ({ do: 'map-address', old: '', new: '' }) },
      { kind: 'drop-people', name: 'Remove people who left', fresh: () => ({ do: 'drop-people', who: [] }) },
    ],
  },
  {
    name: 'In another form',
    steps: [
      { kind: 'say-in-notes', name: 'Say in the notes', fresh: () => ({ do: 'say-in-notes', names: [] }) },
      { kind: 'one-alarm', name: 'Keep one alarm', fresh: () => ({ do: 'one-alarm', keep: 'last' }) },
      {
        kind: 'category-in-title',
        name: 'Categories before the title',
        fresh: () => ({ do: 'category-in-title' }),
      },
      { kind: 'plain-notes', name: 'Plain notes for formatted ones', fresh: () => ({ do: 'plain-notes' }) },
      {
        kind: 'second-series',
        name: 'A second series for changes to all that follow',
        fresh: () => ({ do: 'second-series' }),
      },
      {
        kind: 'link-attachments',
        name: 'Links for attachments',
        fresh: () => ({ do: 'link-attachments', under: '', most: 100 }),
      },
      {
        kind: 'fetch-links',
        name: 'Attachments for links into the old system',
        fresh: () => ({ do: 'fetch-links', most: 1000 }),
      },
      { kind: 'zone-names', name: 'Zones by their names in the zone database', fresh: () => ({ do: 'zone-names' }) },
      { kind: 'keep-by-server', name: 'Attachments kept by the server', fresh: () => ({ do: 'keep-by-server' }) },
      { kind: 'leave-behind', name: 'Leave behind, and list', fresh: () => ({ do: 'leave-behind' }) },
    ],
  },
  {
    name: 'Remove',
    steps: [
      { kind: 'strip', name: 'Remove a part', fresh: () => ({ do: 'strip', part: 'attachments', names: [] }) },
      {
        kind: 'property',
        name: 'Rename a property',
        fresh: () => ({ do: 'property', source: '', target: '', values: {}, keep: false }),
      },
      { kind: 'calendar', name: 'Move to a calendar', fresh: () => ({ do: 'calendar', calendar: '', account: '' }) },
      { kind: 'delete', name: 'Delete past events', fresh: () => ({ do: 'delete', check: '', before: '' }) },
    ],
  },
];

/** Whether a step is one of those that can be chosen, and so be said otherwise. */
export const isChoosable = (step: Step | undefined): boolean =>
  STEPS.some((group) => group.steps.some((one) => one.kind === step?.do));

/** A step of a kind, as it is before anything is said. */
export function freshStep(kind: string): Step {
  const found = STEPS.flatMap((group) => group.steps).find((one) => one.kind === kind);
  return found ? found.fresh() : { do: 'shift', days: 0, minutes: 60 };
}

/** Words with commas between them, as a list. */
export const listed = (said: string): string[] =>
  said
    .split(',')
    .map((one) => one.trim())
    .filter(Boolean);

/** A map of values as lines: `A = B`, one after the other with commas. */
export function asMap(said: string): Record<string, string> {
  const map: Record<string, string> = {};
  for (const pair of listed(said)) {
    const at = pair.indexOf('=');
    if (at > 0) map[pair.slice(0, at).trim()] = pair.slice(at + 1).trim();
  }
  return map;
}
export const fromMap = (map: Record<string, string>): string =>
  Object.entries(map)
    .map(([from, to]) => `${from} = ${to}`)
    .join(', ');
