import { describe, expect, it } from 'vitest';
import { daysBetween, hourLabel, later, minutesOf, monthLater, placed, weekday, weekOf, type Piece } from './layout';

const piece = (key: string, start: number, end: number, calendar = 1) => ({ key, start, end, calendar }) as Piece;
const boxes = (pieces: Piece[], lanes: number[] | null = null, least = 15) =>
  Object.fromEntries(placed(pieces, lanes, least).map((one) => [one.piece.key, [one.left, one.width]]));

describe('pieces of a day', () => {
  it('share the width only where they overlap', () => {
    expect(boxes([piece('a', 0, 60), piece('b', 30, 90), piece('c', 120, 180)])).toEqual({
      a: [0, 0.5],
      b: [0.5, 0.5],
      c: [0, 1],
    });
  });

  it('take a column again that has become free, and are as wide as there is room', () => {
    const found = boxes([piece('a', 0, 120), piece('b', 0, 60), piece('c', 60, 120)]);
    expect(found).toEqual({ a: [0, 0.5], b: [0.5, 0.5], c: [0.5, 0.5] });
  });

  it('of no length still take room', () => {
    expect(boxes([piece('a', 60, 60), piece('b', 70, 130)])).toEqual({ a: [0, 0.5], b: [0.5, 0.5] });
  });

  it('stay in the lane of their layer', () => {
    expect(boxes([piece('a', 0, 60, 7), piece('b', 0, 60, 8)], [7, 8])).toEqual({ a: [0, 0.5], b: [0.5, 0.5] });
  });
});

describe('days and hours as the server writes them', () => {
  it('are counted across months, leap days and the change of clocks', () => {
    expect(later('2028-02-28', 2)).toBe('2028-03-01');
    expect(later('2026-01-01', -1)).toBe('2025-12-31');
    expect(daysBetween('2026-03-28', '2026-03-30')).toBe(2);
    expect(weekday('2026-11-23')).toBe(0);
  });

  it('go around midnight', () => {
    expect([hourLabel(0), hourLabel(1439), hourLabel(-60), hourLabel(1500)]).toEqual([
      '00:00',
      '23:59',
      '23:00',
      '01:00',
    ]);
    expect(minutesOf('07:45')).toBe(465);
  });
});

describe('months', () => {
  it('are counted from their first day, over the year as well', () => {
    expect(monthLater('2026-01-31', 1)).toBe('2026-02-01');
    expect(monthLater('2026-11-26', 2)).toBe('2027-01-01');
    expect(monthLater('2026-01-31', -12)).toBe('2025-01-01');
  });
});

describe('a week of a month', () => {
  const day = (pieces: Piece[], total = pieces.length) => ({ pieces, total });
  const whole = (key: string) => ({ key, row: 0, start: 0, end: 1440, begins: true }) as Piece;
  const timed = (key: string, start: number, begins = true) =>
    ({ key, row: -1, start, end: start + 30, begins }) as Piece;
  const shown = (days: { pieces: Piece[]; total: number }[], lines: number) => {
    const { drawn, more } = weekOf(days, lines);
    return {
      drawn: drawn.map((one) => `${one.piece.key} ${one.column}+${one.days} in ${one.line}`).sort(),
      more,
    };
  };

  it('draws what lasts through, in one line, and fills what is free with hours', () => {
    const days = [day([whole('a'), timed('t', 60)]), day([whole('a'), whole('b')]), day([whole('b'), timed('u', 5)])];
    expect(shown(days, 3)).toEqual({
      drawn: ['a 0+2 in 0', 'b 1+2 in 1', 't 0+1 in 1', 'u 2+1 in 0'],
      more: [0, 0, 0],
    });
  });

  it('gives the last line of a full day to what is left out, also of what passes through', () => {
    const full = [timed('a', 1), timed('b', 2), timed('c', 3)];
    expect(shown([day(full), day([whole('x'), whole('y')])], 2)).toEqual({
      drawn: ['a 0+1 in 0', 'x 1+1 in 0', 'y 1+1 in 1'],
      more: [2, 0],
    });
    const passing = shown([day([whole('x'), whole('y')]), day([whole('x'), whole('y'), timed('t', 1)])], 2);
    expect(passing).toEqual({ drawn: ['x 0+2 in 0'], more: [1, 2] });
  });
});
