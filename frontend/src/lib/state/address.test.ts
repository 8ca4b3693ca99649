import { beforeEach, expect, test, vi } from 'vitest';
import { keepInAddress } from './address';

const { goto, app } = vi.hoisted(() => ({
  goto: vi.fn(),
  app: { navigating: { to: null as { url: URL } | null }, page: { url: new URL('http://here/mend/duplicates') } },
}));
vi.mock('$app/navigation', () => ({ goto }));
vi.mock('$app/state', () => app);

beforeEach(() => goto.mockClear());

test.each([
  ['nowhere', null, 1],
  ['to the same page', 'http://here/mend/duplicates?kind=same-uid', 1],
  ['to another page', 'http://here/mend/7', 0],
])('what a page shows is put into its address by whoever is on the way %s', async (_, to, times) => {
  app.navigating.to = to ? { url: new URL(to) } : null;
  await keepInAddress('/mend/duplicates?group=3');
  expect(goto).toHaveBeenCalledTimes(times);
});
