import { key, query } from '$lib/api/queries';
import { useQueryClient } from '@tanstack/svelte-query';
import { answer, client, type Schemas } from '$lib/api/client';
import { daysBetween } from './layout';
import { looking, type View } from '$lib/state/looking.svelte';

// A month asks for as many as its cells can show, and two to choose from.
const rows = Math.max(4, Math.min(16, Math.floor((window.innerHeight - 240) / 108) + 2));
const MOST: Partial<Record<View, number>> = { day: 400, work: 120, month: rows, year: 0 };
type Wanted = {
  view?: Exclude<View, 'agenda' | 'picked'>;
  on?: string;
  working?: number[];
  day?: string[];
  most: number;
};
/** What is looked at: a view around a day, or the picked days; of these calendars, once they are known. */
export type Asked = { view: View; on: string; picked: string[]; shown: number[]; known: boolean };

/** The days a view is drawn from, and what overlaps in them; the month around is fetched ahead. */
export function daysOf(asked: () => Asked) {
  const queries = useQueryClient();
  const { view, on, picked, shown, known } = $derived(asked());
  const wholeMonth = $derived<Wanted>({ view: 'month', on: `${on.slice(0, 7)}-01`, most: rows });
  const wanted = $derived.by((): Wanted => {
    if (view === 'month') return wholeMonth;
    if (view === 'agenda' || view === 'picked') return { day: picked, most: 90 };
    return { view, on, working: view === 'work' ? looking.worked : [], most: MOST[view] ?? 90 };
  });
  const ask = (wanted: Wanted) => ({
    queryKey: key('days', wanted, looking.others, shown),
    queryFn: () =>
      answer(
        client.GET('/api/days', {
          params: { query: { ...wanted, zone: looking.zone, clock: looking.others, calendar: shown } },
        }),
      ),
    structuralSharing: false,
  });
  const days = query(() => ({
    ...ask(wanted),
    enabled: looking.ready && known && view !== 'agenda' && (view !== 'picked' || picked.length > 0),
    placeholderData: (previous: Schemas['DaysOut'] | undefined) =>
      previous?.zone === looking.zone ? previous : undefined,
  }));
  const fits = $derived(Boolean(days.data) && !days.isPlaceholderData);
  const first = $derived(days.data?.days[0]?.date ?? on);
  const count = $derived(daysBetween(first, days.data?.days.at(-1)?.date ?? first) + 1);
  // What is asked for next most often while days of a month are looked at.
  $effect(() => {
    if (!fits || !['day', 'week', 'work'].includes(view)) return;
    const ahead = ask(wholeMonth);
    const timer = setTimeout(() => void queries.prefetchQuery(ahead), 200);
    return () => clearTimeout(timer);
  });
  const clashes = query(() => ({
    queryKey: key('overlaps', 'marks', first, count, looking.zone, shown),
    queryFn: () =>
      answer(
        client.GET('/api/overlaps', {
          params: { query: { first, count, zone: looking.zone, calendar: shown, shared: true, limit: 1 } },
        }),
      ),
    enabled: looking.ready && fits && view !== 'year' && view !== 'picked' && view !== 'agenda',
  }));
  const overlapping = $derived(new Set(clashes.data?.keys ?? []));
  return {
    /** The query of the days; its data are those of the view before for as long as these are on their way. */
    get query() {
      return days;
    },
    /** Whether what is there is what is asked for now. */
    get fits() {
      return fits;
    },
    get first() {
      return first;
    },
    get count() {
      return count;
    },
    /** The keys of what overlaps. */
    get overlapping() {
      return overlapping;
    },
    get overlaps() {
      return clashes.data?.total ?? 0;
    },
  };
}
