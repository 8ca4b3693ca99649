import type { View } from './looking.svelte';

export const VIEWS: { view: View; name: string; key: string }[] = [
  { view: 'day', name: 'a day', key: 'd' },
  { view: 'week', name: 'a week', key: 'w' },
  { view: 'work', name: 'the working days of a week', key: 'k' },
  { view: 'month', name: 'a month', key: 'm' },
  { view: 'year', name: 'a year', key: 'y' },
  { view: 'agenda', name: 'a list', key: 'a' },
  { view: 'picked', name: 'picked days', key: 'p' },
];
export const SPANS = [
  { days: 1, name: 'of one day' },
  { days: 7, name: 'of a week' },
  { days: 31, name: 'of a month' },
  { days: 92, name: 'of a quarter' },
  { days: 366, name: 'of a year' },
];
