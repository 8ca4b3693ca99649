import type { QueryClient } from '@tanstack/svelte-query';
import { refreshTopics, settled } from '$lib/api/queries';
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
    // A first page is not held up by it.
    source.onopen = async () => {
      const answered = new Map(
        queries
          .getQueryCache()
          .getAll()
          .map((one) => [one, one.state.dataUpdateCount]),
      );
      const lost = reach.lost;
      reach.lost = false;
      if (!lost) await settled(queries);
      await queries.invalidateQueries({
        predicate: (one) => lost || (one.state.data !== undefined && answered.get(one) === one.state.dataUpdateCount),
      });
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
