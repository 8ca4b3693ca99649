import type { Schemas } from '$lib/api/client';

export type Piece = Schemas['PieceOut'];
/** Left and width as parts of the day's width; `share` is that of one column. */
export type Placed = { piece: Piece; left: number; width: number; share: number };

/** Where the pieces of a day go side by side: those that overlap share the width; in lanes, each layer its own. */
export function placed(pieces: Piece[], lanes: number[] | null, least: number): Placed[] {
  if (lanes === null) return columns(pieces, 0, 1, least);
  const width = 1 / Math.max(1, lanes.length);
  return lanes.flatMap((id, k) =>
    columns(
      pieces.filter((piece) => piece.calendar === id),
      k * width,
      width,
      least,
    ),
  );
}

function columns(pieces: Piece[], left: number, width: number, least: number): Placed[] {
  const found: Placed[] = [];
  let cluster: { piece: Piece; column: number }[] = [];
  let ends: number[] = [];
  let until = -1;
  const close = () => {
    for (const { piece, column } of cluster) {
      // It may be as wide as to the next column in which something overlaps it.
      const end = Math.max(piece.end, piece.start + least);
      const beside = cluster.filter(
        (one) =>
          one.column > column &&
          one.piece.start < end &&
          Math.max(one.piece.end, one.piece.start + least) > piece.start,
      );
      const next = Math.min(ends.length, ...beside.map((one) => one.column));
      found.push({
        piece,
        left: left + (column * width) / ends.length,
        width: ((next - column) * width) / ends.length,
        share: width / ends.length,
      });
    }
    cluster = [];
    ends = [];
  };
  for (const piece of [...pieces].sort((a, b) => a.start - b.start || b.end - a.end)) {
    if (piece.start >= until) close();
    const end = Math.max(piece.end, piece.start + least);
    const free = ends.findIndex((one) => one <= piece.start);
    const column = free < 0 ? ends.length : free;
    ends[column] = end;
    until = Math.max(until, end);
    cluster.push({ piece, column });
  }
  close();
  return found;
}

export const hourLabel = (minutes: number): string => {
  const at = ((minutes % 1440) + 1440) % 1440;
  return `${String(Math.floor(at / 60)).padStart(2, '0')}:${String(at % 60).padStart(2, '0')}`;
};

export const minutesOf = (text: string): number => Number(text.slice(0, 2)) * 60 + Number(text.slice(3, 5));

/** A day as the server writes it, so many days later. */
export function later(day: string, days: number): string {
  const at = new Date(`${day}T12:00:00Z`);
  at.setUTCDate(at.getUTCDate() + days);
  return at.toISOString().slice(0, 10);
}

export const daysBetween = (from: string, to: string): number =>
  Math.round((Date.parse(`${to}T12:00:00Z`) - Date.parse(`${from}T12:00:00Z`)) / 86_400_000);

/** Monday as 0. */
export const weekday = (day: string): number => (new Date(`${day}T12:00:00Z`).getUTCDay() + 6) % 7;

/** The first of the month so many months later, or earlier. */
export function monthLater(day: string, by: number): string {
  const at = new Date(`${day.slice(0, 7)}-01T12:00:00Z`);
  at.setUTCMonth(at.getUTCMonth() + by);
  return at.toISOString().slice(0, 10);
}
