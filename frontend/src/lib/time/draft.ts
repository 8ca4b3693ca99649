import type { Fields } from '$lib/api/client';
import { hourLabel, later } from './layout';

function blank(changes: Partial<Fields>): Fields {
  const text = { title: '', rule: '', place: '', notes: '', link: '', conference: '', privacy: '', status: '' };
  const lists = { left_out: [], alarms: [], categories: [], attendees: [], attachments: [] };
  const rest = { whole: false, start: '', end: '', zone: '', busy: true, organizer: null, travel: 0 };
  return { ...text, ...lists, ...rest, ...changes };
}

/** An event of a day from one minute of it to another, on this clock; past midnight it ends on the day after. */
export function ofHours(day: string, begin: number, end: number, zone: string): Fields {
  const close = end >= 1440 ? `${later(day, 1)}T${hourLabel(end - 1440)}` : `${day}T${hourLabel(end)}`;
  return blank({ start: `${day}T${hourLabel(begin)}`, end: close, zone });
}

/** An event of whole days. */
export const ofDays = (first: string, last: string): Fields => blank({ whole: true, start: first, end: last });
