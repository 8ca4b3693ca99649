import { today } from '$lib/state/clock';

/** Numbers and moments as people read them. Layout only: the server hands over times ready to be drawn. */

export const count = (n: number): string => n.toLocaleString('en-GB');

export const counted = (n: number, one: string, many: string): string => `${count(n)} ${n === 1 ? one : many}`;

export function bytes(n: number): string {
  if (n < 1000) return `${n} B`;
  return n < 1_000_000 ? `${(n / 1000).toFixed(0)} kB` : `${(n / 1_000_000).toFixed(1)} MB`;
}

/** A name that none has yet: as it is, else with the place, else numbered. */
export function freeName(name: string, taken: string[], place = ''): string {
  const known = new Set(taken.map((one) => one.toLowerCase()));
  const free = (one: string) => !known.has(one.toLowerCase());
  if (free(name)) return name;
  const there = place ? `${name} (${place})` : name;
  if (free(there)) return there;
  for (let k = 2; ; k++) if (free(`${there} ${k}`)) return `${there} ${k}`;
}

/** A moment of the logbook on the reader's own clock. */
export function moment(iso: string): string {
  if (!iso) return '';
  const at = new Date(iso);
  const two = (n: number) => String(n).padStart(2, '0');
  return `${at.getFullYear()}-${two(at.getMonth() + 1)}-${two(at.getDate())} ${two(at.getHours())}:${two(at.getMinutes())}`;
}

/** The same, shorter: only the hour where it is today. */
export function lately(iso: string): string {
  const full = moment(iso);
  return full.startsWith(today()) ? full.slice(11) : full;
}

export const SEVERITY: Record<string, string> = {
  breaks: 'other systems will refuse or lose it',
  alters: 'other systems may show it differently',
  untidy: 'harmless, but not as the standard has it',
};
