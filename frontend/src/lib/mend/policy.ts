import type { Schemas } from '$lib/api/client';

export type Criterion = Schemas['AcceptIn']['policy'] extends (infer One)[] | undefined ? One : never;
/** What an entry can be kept for, in the order in which it is asked if nothing else is said. */
export const CRITERIA: readonly { value: Criterion; name: string }[] = [
  { value: 'writable', name: 'the writable one' },
  { value: 'answers', name: 'the one with the most replies' },
  { value: 'newest', name: 'the one changed most recently' },
  { value: 'richest', name: 'the most complete one' },
  { value: 'order', name: 'the one in the calendar listed first' },
];

export const nameOf = (criterion: Criterion): string =>
  CRITERIA.find((one) => one.value === criterion)?.name ?? criterion;

/** Criteria as an address names them, in their order; those it does not name follow as usual. */
export function criteria(said: string): Criterion[] {
  const usual = CRITERIA.map((one) => one.value);
  const named = said.split(',').filter((one): one is Criterion => usual.includes(one as Criterion));
  return [...new Set([...named, ...usual])];
}

/** Calendars as an address names them, those to be kept first. */
export const places = (said: string): number[] => said.split(',').map(Number).filter(Boolean);

/** A list with one of it moved by a place. */
export function moved<One>(list: One[], at: number, by: 1 | -1): One[] {
  const next = [...list];
  const [one] = next.splice(at, 1);
  if (one !== undefined) next.splice(Math.max(0, Math.min(next.length, at + by)), 0, one);
  return next;
}
