import type { QueryClient } from '@tanstack/svelte-query';

/** Which questions are asked again when something of a topic has changed: by the first part of their keys. */
export const ASKED: Record<string, readonly string[]> = {
  entries: [
    'route',
    'calendars',
    'entries',
    'facets',
    'entry',
    'problems',
    'checks',
    'selection',
    'alike',
    'duplicates',
    'duplicate-groups',
    'duplicate-group',
    'export',
    'imports',
    'rehearse',
    'zone-names',
    'zone-readings',
    'series-head',
    'series',
    'series-strip',
    'scattered',
    'against',
    'comparisons',
    'comparison',
    'pair',
    'seen',
    'shares',
  ].concat(['days', 'mirror', 'occurrences', 'overlaps', 'fields', 'fields-check', 'layer-warnings']),
  sets: ['route', 'change-sets', 'change-set', 'changes', 'imports'],
  accounts: ['accounts', 'calendars', 'route'],
  pushes: ['route', 'calendars', 'pushes', 'push', 'change-set', 'changes'],
  files: ['imports', 'import-problems', 'route'],
  jobs: ['jobs', 'job', 'duplicates', 'zone-names', 'series-head'],
  duplicates: ['duplicates', 'duplicate-groups'],
  time: ['zone-names', 'series-head', 'scattered', 'comparisons', 'comparison', 'pairs', 'pair'],
  preferences: ['kept', 'recipes'],
  shares: ['shares', 'share-owners', 'route', 'calendars'],
};

/** The first parts of the keys of all that has to be asked again. */
export function asked(topics: readonly string[]): Set<string> {
  return new Set(topics.flatMap((topic) => ASKED[topic] ?? []));
}

/** Follow what changes, whoever changes it, and ask again for that alone; tells how to stop. */
export function follow(queries: QueryClient): () => void {
  const source = new EventSource('/api/revisions');
  let lost = false;
  source.onmessage = (event: MessageEvent<string>) => {
    const keys = asked(JSON.parse(event.data) as string[]);
    void queries.invalidateQueries({ predicate: (query) => keys.has(String(query.queryKey[0])) });
  };
  source.onerror = () => (lost = true);
  // What happened while nobody was told has to be asked for.
  source.onopen = () => {
    if (lost) void queries.invalidateQueries();
    lost = false;
  };
  return () => source.close();
}
