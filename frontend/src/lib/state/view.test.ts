import { describe, expect, it } from 'vitest';
import { choice, day, days, number, on, text, unless, view } from './view';

const page = view('/look/overlaps', {
  on: day(() => '2026-11-26'),
  count: number(31),
  about: text,
  all: on,
  whole: unless,
  days,
  way: choice(['week', 'month'], 'week'),
});
const read = (said: string) => page.read(new URLSearchParams(said));

describe('a page as its address says it', () => {
  it('is as usual where the address says nothing, or nonsense', () => {
    const usual = { on: '2026-11-26', count: 31, about: '', all: false, whole: true, days: [], way: 'week' };
    expect(read('')).toEqual(usual);
    expect(read('on=tomorrow&count=many&way=sideways&days=1,2')).toEqual(usual);
  });

  it('is what the address says', () => {
    const said = 'on=2026-12-01&count=7&about=crane&all=yes&whole=no&days=2026-12-01,2026-12-05&way=month';
    expect(read(said)).toEqual({
      on: '2026-12-01',
      count: 7,
      about: 'crane',
      all: true,
      whole: false,
      days: ['2026-12-01', '2026-12-05'],
      way: 'month',
    });
  });

  it('goes on from where it was, and keeps what nobody changed', () => {
    const here = new URLSearchParams('on=2026-12-01&other=kept');
    expect(page.address(here, { about: 'a & b' })).toBe('/look/overlaps?on=2026-12-01&other=kept&about=a+%26+b');
    expect(page.address(here, { on: '' })).toBe('/look/overlaps?other=kept');
    expect(page.address(new URLSearchParams('on=x'), { on: '' })).toBe('/look/overlaps');
    expect(here.toString()).toBe('on=2026-12-01&other=kept');
  });
});
