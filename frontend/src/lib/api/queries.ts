import { createQuery, type QueryClient } from '@tanstack/svelte-query';
import { answer, client } from './client';

/** Everything that a batch may have changed is asked for again. */
export function refreshAll(queries: QueryClient): Promise<void> {
  return queries.invalidateQueries();
}

export const routeQuery = () =>
  createQuery(() => ({
    queryKey: ['route'],
    queryFn: () => answer(client.GET('/api/route')),
    refetchInterval: 5000,
  }));

/** What calendars and accounts say changes by itself: it is asked for again and again while it is looked at. */
export const calendarsQuery = () =>
  createQuery(() => ({
    queryKey: ['calendars'],
    queryFn: () => answer(client.GET('/api/calendars')),
    refetchInterval: 5000,
  }));

export const accountsQuery = () =>
  createQuery(() => ({
    queryKey: ['accounts'],
    queryFn: () => answer(client.GET('/api/accounts')),
    refetchInterval: 5000,
  }));

export const jobQuery = (id: () => number) =>
  createQuery(() => ({
    queryKey: ['job', id()],
    queryFn: () => answer(client.GET('/api/jobs/{job_id}', { params: { path: { job_id: id() } } })),
    refetchInterval: (query) => (['queued', 'running'].includes(query.state.data?.state ?? 'queued') ? 300 : false),
  }));

export const reviewQuery = (id: () => number) =>
  createQuery(() => ({
    queryKey: ['change-set', id()],
    queryFn: () => answer(client.GET('/api/change-sets/{set_id}', { params: { path: { set_id: id() } } })),
  }));
