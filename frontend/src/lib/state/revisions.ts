import type { QueryClient } from '@tanstack/svelte-query';
import { refreshTopics } from '$lib/api/queries';
import { reach } from '$lib/api/reach.svelte';

/** After so many milliseconds it is tried again to be told what changes. */
const AGAIN = 1000;

/** Follow what changes, whoever changes it, and ask again for that alone; tells how to stop. */
export function follow(queries: QueryClient): () => void {
  let source: EventSource;
  let again: ReturnType<typeof setTimeout> | undefined;
  const listen = () => {
    source = new EventSource('/api/revisions');
    source.onmessage = (event: MessageEvent<string>) => {
      void refreshTopics(queries, JSON.parse(event.data) as string[]);
    };
    source.onerror = () => {
      reach.lost = true;
      reconnect();
    };
    // What happened while nobody was told has to be asked for, also between the first answers and the stream.
    source.onopen = () => {
      void queries.invalidateQueries({ predicate: (query) => reach.lost || query.state.dataUpdatedAt > 0 });
      reach.lost = false;
    };
  };
  const reconnect = () => {
    source.close();
    clearTimeout(again);
    again = setTimeout(listen, AGAIN);
  };
  // A single question that failed is no reason to think so for ever.
  reach.retry = reconnect;
  listen();
  return () => {
    clearTimeout(again);
    source.close();
  };
}
