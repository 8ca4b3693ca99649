import { expect, test } from 'vitest';
import { freeName } from './words';

test('a proposed name is never one that exists', () => {
  expect(freeName('Tides', ['Berths'])).toBe('Tides');
  expect(freeName('Tides', ['tides'])).toBe('Tides 2');
  expect(freeName('Tides', ['Tides', 'Tides 2'])).toBe('Tides 3');
  expect(freeName('Tides', ['Tides'], 'Lantern')).toBe('Tides (Lantern)');
  expect(freeName('Tides', ['Tides', 'Tides (Lantern)'], 'Lantern')).toBe('Tides (Lantern) 2');
});
