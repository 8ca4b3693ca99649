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

/** A piece in a week of a month: from which of its seven days over how many, in which line below the date. */
export type Drawn = { piece: Piece; column: number; days: number; line: number };

/**
 * What is drawn of a week with so many lines a day, and how much of each day is left out then.
 *
 * What takes whole days or several is drawn through, in one line; the hours of a day fill the lines that are free.
 * A day with more than there are lines gives its last one to the number of those left out.
 */
export function weekOf(days: { pieces: Piece[]; total: number }[], lines: number): { drawn: Drawn[]; more: number[] } {
  const room = days.map((day) => (day.total > lines ? Math.max(0, lines - 1) : lines));
  const taken = days.map(() => new Set<number>());
  const drawn: Drawn[] = [];
  const runs = new Map<string, { piece: Piece; column: number; days: number }>();
  days.forEach((day, column) => {
    for (const piece of day.pieces) {
      if (piece.row < 0) continue;
      const run = runs.get(piece.key);
      if (run && run.column + run.days === column) run.days++;
      else runs.set(piece.key, { piece, column, days: 1 });
    }
  });
  const through = [...runs.values()].sort((a, b) => a.column - b.column || b.days - a.days);
  for (const run of through) {
    const over = Array.from({ length: run.days }, (_, k) => run.column + k);
    const least = Math.min(...over.map((column) => room[column] ?? 0));
    const line = Array.from({ length: least }, (_, k) => k).find((k) => !over.some((one) => taken[one]?.has(k)));
    if (line === undefined) continue;
    for (const column of over) taken[column]?.add(line);
    drawn.push({ ...run, line });
  }
  days.forEach((day, column) => {
    const begun = (piece: Piece) => (piece.begins ? 0 : 1); // what goes on from the day before comes last
    const timed = day.pieces.filter((piece) => piece.row < 0);
    for (const piece of timed.sort((a, b) => begun(a) - begun(b) || a.start - b.start)) {
      const line = Array.from({ length: room[column] ?? 0 }, (_, k) => k).find((k) => !taken[column]?.has(k));
      if (line === undefined) break;
      taken[column]?.add(line);
      drawn.push({ piece, column, days: 1, line });
    }
  });
  return { drawn, more: days.map((day, column) => day.total - (taken[column]?.size ?? 0)) };
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
