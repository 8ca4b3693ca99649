import type { Calendar } from '$lib/api/client';

/** Twelve shades that can be told apart on paper and at night. */
// prettier-ignore
export const PALETTE = [
  '#8a6212', '#1f5f8b', '#5b4a8a', '#0b7a75', '#a3262c', '#5d6770',
  '#b26a00', '#16684a', '#8b3a74', '#3f6f21', '#2f4aa0', '#7a4b2a',
] as const;

/** A calendar's colour: the one it states, else its place in the palette. */
export function shade(calendar: Pick<Calendar, 'own_colour' | 'colour'>): string {
  return calendar.own_colour || (PALETTE[calendar.colour % PALETTE.length] ?? PALETTE[0]);
}
