import type { View } from '$lib/state/looking.svelte';

export const VIEWS: { view: View; name: string }[] = [
  { view: 'day', name: 'a day' },
  { view: 'week', name: 'a week' },
  { view: 'work', name: 'the working days of a week' },
  { view: 'month', name: 'a month' },
  { view: 'year', name: 'a year' },
  { view: 'agenda', name: 'a list' },
  { view: 'picked', name: 'picked days' },
];
/** Time is one scale, from far to near; nearer than a day are the finer divisions of its hours. */
export const SCALE: View[] = ['year', 'month', 'week', 'day'];
export const SPANS = [
  { days: 1, name: 'of one day' },
  { days: 7, name: 'of a week' },
  { days: 31, name: 'of a month' },
  { days: 92, name: 'of a quarter' },
  { days: 366, name: 'of a year' },
];
