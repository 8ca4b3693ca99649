import { describe, expect, it } from 'vitest';
import { ASKED, asked } from './revisions';

describe('what is asked again', () => {
  it('is what the topics touch, and nothing else', () => {
    expect(asked(['preferences'])).toEqual(new Set(['kept', 'recipes']));
    expect(asked(['jobs', 'files'])).toEqual(
      new Set(['jobs', 'job', 'duplicates', 'zone-names', 'series-head', 'imports', 'import-problems', 'route']),
    );
    expect(asked([])).toEqual(new Set());
  });

  it('is nothing for a topic nobody knows', () => {
    expect(asked(['weather'])).toEqual(new Set());
  });

  it('always holds what every page shows', () => {
    for (const topic of ['entries', 'sets', 'pushes', 'files']) expect(ASKED[topic]).toContain('route');
  });
});
