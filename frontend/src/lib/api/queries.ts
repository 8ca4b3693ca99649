import { createQuery, type CreateQueryOptions, type QueryClient } from '@tanstack/svelte-query';
import { answer, client } from './client';

/** What the server tells of when it changes. */
export type Topic =
  | 'entries'
  | 'sets'
  | 'accounts'
  | 'fidelity'
  | 'crossings'
  | 'pushes'
  | 'files'
  | 'jobs'
  | 'duplicates'
  | 'time'
  | 'preferences'
  | 'shares';

/** What can be asked, by the first part of its key: the topics that make an answer old; none for what never changes. */
export const TOPICS = {
  accounts: ['accounts'],
  against: ['entries'],
  alike: ['entries'],
  calendars: ['entries', 'accounts', 'pushes', 'shares'],
  catalogue: [],
  'change-set': ['sets', 'pushes'],
  'change-sets': ['sets'],
  'change-times': ['sets'],
  changes: ['sets', 'pushes'],
  checked: ['entries'],
  checks: ['entries'],
  comparison: ['entries', 'time'],
  comparisons: ['entries', 'time'],
  crossing: ['crossings', 'entries', 'pushes', 'fidelity'],
  'crossing-both': [],
  'crossing-decisions': ['crossings', 'entries'],
  'crossing-differences': ['crossings'],
  'crossing-months': ['crossings'],
  cutover: ['crossings', 'entries', 'pushes', 'shares', 'sets'],
  crossings: ['crossings', 'entries'],
  days: ['entries'],
  'duplicate-group': ['entries'],
  'duplicate-groups': ['entries', 'duplicates'],
  duplicates: ['entries', 'jobs', 'duplicates'],
  entries: ['entries'],
  entry: ['entries'],
  export: ['entries'],
  facets: ['entries'],
  fidelity: ['fidelity', 'accounts'],
  forecast: ['fidelity', 'entries'],
  'forecast-losses': ['fidelity'],
  fields: ['entries'],
  'fields-check': ['entries'],
  filter: ['entries', 'accounts'],
  hours: [],
  'import-problems': ['files'],
  imports: ['entries', 'sets', 'files'],
  invitation: ['shares'],
  job: ['jobs'],
  jobs: ['jobs'],
  kept: ['preferences'],
  'layer-warnings': ['entries'],
  line: ['accounts'],
  mirror: ['entries'],
  occurrences: ['entries'],
  overlaps: ['entries'],
  pair: ['entries', 'time'],
  pairs: ['time'],
  problems: ['entries'],
  push: ['pushes'],
  pushes: ['pushes'],
  recipes: ['preferences'],
  rehearse: ['entries'],
  repeats: [],
  route: ['entries', 'sets', 'accounts', 'pushes', 'files', 'shares', 'crossings'],
  scattered: ['entries', 'time'],
  seen: ['entries'],
  selection: ['entries'],
  series: ['entries'],
  'series-head': ['entries', 'jobs', 'time'],
  'series-strip': ['entries'],
  'share-owners': ['shares'],
  shares: ['entries', 'shares'],
  standards: ['preferences'],
  'step-words': [],
  'zone-names': ['entries', 'jobs', 'time'],
  'zone-readings': ['entries'],
  zones: [],
} satisfies Record<string, readonly Topic[]>;

/** Names a question: what is asked, and by what the answers differ. */
export type Key = readonly [keyof typeof TOPICS, ...unknown[]];

export function key(...parts: [...Key]): Key {
  return parts;
}

type Question<T> = Omit<CreateQueryOptions<T, Error, T, Key>, 'queryKey'> & { queryKey: Key };

/** Ask the server. The answer is asked for again when one of the topics of its key changes. */
export const query = <T>(question: () => Question<T>) => createQuery<T, Error, T, Key>(question);

/** Ask again what one has just changed oneself. */
export async function refresh(queries: QueryClient, ...names: Key[0][]): Promise<void> {
  const predicate = ({ queryKey }: { queryKey: readonly unknown[] }) => names.includes(queryKey[0] as Key[0]);
  // The first answer to a question that is on its way may have been given before the change: it is asked once more.
  const first = queries
    .getQueryCache()
    .findAll({ predicate, fetchStatus: 'fetching' })
    .filter((one) => one.state.data === undefined);
  await queries.invalidateQueries({ predicate });
  await Promise.allSettled(first.map((one) => one.promise));
  if (first.length) await queries.invalidateQueries({ predicate: (one) => first.includes(one as (typeof first)[0]) });
}

/** Ask again what any of these topics has made old. */
export function refreshTopics(queries: QueryClient, topics: readonly string[]): Promise<void> {
  return refresh(queries, ...concerned(topics));
}

/** The names of all questions whose answers these topics make old. */
export function concerned(topics: readonly string[]): Key[0][] {
  const names = Object.keys(TOPICS) as Key[0][];
  return names.filter((name) => TOPICS[name].some((topic) => topics.includes(topic)));
}

/** After a doing of one's own: everything it may have changed is asked for at once, without waiting to be told. */
export function refreshAll(queries: QueryClient): Promise<void> {
  return refreshTopics(queries, ['entries', 'sets', 'accounts', 'pushes', 'files', 'jobs', 'preferences']);
}

export const routeOptions = { queryKey: key('route'), queryFn: () => answer(client.GET('/api/route')) };
export const routeQuery = () => query(() => routeOptions);

/** When everything that was asked for has been answered. */
export function settled(queries: QueryClient): Promise<void> {
  return new Promise((resolve) => {
    const done = () => queries.isFetching() === 0;
    if (done()) return resolve();
    const stop = queries.getQueryCache().subscribe(() => queueMicrotask(() => done() && (stop(), resolve())));
  });
}

export const calendarsQuery = () =>
  query(() => ({ queryKey: ['calendars'], queryFn: () => answer(client.GET('/api/calendars')) }));

export const accountsQuery = () =>
  query(() => ({ queryKey: ['accounts'], queryFn: () => answer(client.GET('/api/accounts')) }));

export const zonesQuery = () =>
  query(() => ({ queryKey: ['zones'], queryFn: () => answer(client.GET('/api/zones')), staleTime: Infinity }));

export const jobQuery = (id: () => number) =>
  query(() => ({
    queryKey: ['job', id()],
    queryFn: () => answer(client.GET('/api/jobs/{job_id}', { params: { path: { job_id: id() } } })),
    // Told of by the server; asked for now and then all the same, in case that is not heard.
    refetchInterval: (query) => (['queued', 'running'].includes(query.state.data?.state ?? 'queued') ? 2000 : false),
  }));

export const reviewQuery = (id: () => number) =>
  query(() => ({
    queryKey: ['change-set', id()],
    queryFn: () => answer(client.GET('/api/change-sets/{set_id}', { params: { path: { set_id: id() } } })),
  }));
