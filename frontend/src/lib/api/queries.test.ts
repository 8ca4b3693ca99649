import { describe, expect, it } from 'vitest';
import { QueryClient, QueryObserver } from '@tanstack/svelte-query';
import { concerned, key, refreshTopics, TOPICS, type Key } from './queries';

describe('what is asked again', () => {
  it('is what the topics touch, and nothing else', () => {
    expect(concerned(['preferences']).sort()).toEqual(['kept', 'recipes', 'standards']);
    expect(new Set(concerned(['jobs', 'files']))).toEqual(
      new Set(['jobs', 'job', 'duplicates', 'zone-names', 'series-head', 'imports', 'import-problems', 'route']),
    );
    expect(concerned([])).toEqual([]);
  });

  it('is nothing for a topic nobody knows', () => {
    expect(concerned(['weather'])).toEqual([]);
  });

  it('always holds what every page shows', () => {
    for (const topic of ['entries', 'sets', 'pushes', 'files']) expect(TOPICS.route).toContain(topic);
  });

  it('is known of every question, or it does not compile', () => {
    // @ts-expect-error nobody says what makes this old
    const key: Key = ['weather', 1];
    expect(key).toHaveLength(2);
  });

  it('is also what was on its way when it changed', async () => {
    const queries = new QueryClient();
    const answers: ((answer: string) => void)[] = [];
    const queryFn = () => new Promise<string>((answer) => answers.push(answer));
    const leave = new QueryObserver(queries, { queryKey: key('calendars'), queryFn }).subscribe(() => undefined);
    const refreshed = refreshTopics(queries, ['accounts']);
    answers[0]?.('as before');
    await expect.poll(() => answers.length).toBe(2);
    answers[1]?.('as after');
    await refreshed;
    expect(queries.getQueryData(key('calendars'))).toBe('as after');
    leave();
  });
});
