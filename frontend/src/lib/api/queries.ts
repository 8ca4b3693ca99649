import { createQuery, type QueryClient } from '@tanstack/svelte-query';
import { answer, client } from './client';
import { asked } from '$lib/state/revisions';

/** After a doing of one's own: everything it may have changed is asked for at once, without waiting to be told. */
export function refreshAll(queries: QueryClient): Promise<void> {
  const touched = asked(['entries', 'sets', 'accounts', 'pushes', 'files', 'jobs', 'preferences']);
  return queries.invalidateQueries({ predicate: (query) => touched.has(String(query.queryKey[0])) });
}

export const routeQuery = () =>
  createQuery(() => ({
    queryKey: ['route'],
    queryFn: () => answer(client.GET('/api/route')),
  }));

export const calendarsQuery = () =>
  createQuery(() => ({
    queryKey: ['calendars'],
    queryFn: () => answer(client.GET('/api/calendars')),
  }));

export const accountsQuery = () =>
  createQuery(() => ({
    queryKey: ['accounts'],
    queryFn: () => answer(client.GET('/api/accounts')),
  }));

export const jobQuery = (id: () => number) =>
  createQuery(() => ({
    queryKey: ['job', id()],
    queryFn: () => answer(client.GET('/api/jobs/{job_id}', { params: { path: { job_id: id() } } })),
    // Told of by the server; asked for now and then all the same, in case that is not heard.
    refetchInterval: (query) => (['queued', 'running'].includes(query.state.data?.state ?? 'queued') ? 2000 : false),
  }));

export const reviewQuery = (id: () => number) =>
  createQuery(() => ({
    queryKey: ['change-set', id()],
    queryFn: () => answer(client.GET('/api/change-sets/{set_id}', { params: { path: { set_id: id() } } })),
  }));
