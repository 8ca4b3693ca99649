import { createQuery } from '@tanstack/svelte-query';
import { answer, client, type Schemas } from '$lib/api/client';

export type Share = Schemas['ShareOut'];
export type Wanted = Required<Schemas['WantedIn']> & { terms: Required<Schemas['TermsIO']> };
export type Told = Schemas['ToldOut'];

export const DETAILS: [Schemas['Detail'], string, string][] = [
  ['everything', 'Everything', 'all that is written in an entry'],
  ['without-people', 'Without people', 'all but who is invited, who invites, and whom to ask'],
  ['titles', 'Titles, times and places', 'no notes, no people, no categories, no links'],
  ['busy', 'Only busy', 'when something is, and one title for all of it'],
];
export const GUARDED: [Schemas['Guarded'], string][] = [
  ['leave-out', 'left out'],
  ['busy', 'given as busy'],
  ['as-others', 'given as all others'],
];
export const FORMS: [Schemas['Form'], string, string][] = [
  ['feed', 'A feed', 'to be followed in a calendar program (.ics, webcal:)'],
  ['page', 'A page', 'to be looked at in a browser, or put into a site'],
  ['busy', 'Busy times', 'free-busy, for programs that look for a time'],
  ['jcal', 'jCal', 'the feed as JSON, for programs'],
  ['file', 'A file', 'to be taken once, whole or one entry'],
];
export const FORM_NAMES: Record<string, string> = {
  feed: 'feed',
  page: 'page',
  busy: 'busy times',
  jcal: 'jCal',
  file: 'file',
};

export const sharesQuery = () =>
  createQuery(() => ({ queryKey: ['shares'], queryFn: () => answer(client.GET('/api/shares')) }));

/** What a new share says before anybody has said anything: as little as possible. */
export const blank = (): Wanted => ({
  title: '',
  owner: '',
  contact: '',
  calendars: [],
  filter: '',
  terms: {
    detail: 'busy',
    busy_title: 'Busy',
    private: 'leave-out',
    confidential: 'leave-out',
    attachments: false,
    alarms: false,
    conferences: false,
    unknown: false,
    todos: false,
    back: null,
    ahead: null,
  },
  forms: ['feed', 'page'],
  zone: 'UTC',
  interval: 3600,
  fixed: false,
  until: null,
  sites: [],
  indexed: false,
});

export const wantedOf = (share: Share): Wanted => ({
  title: share.title,
  owner: share.owner,
  contact: share.contact,
  calendars: [...share.calendars],
  filter: share.filter,
  terms: { ...blank().terms, ...share.terms },
  forms: [...share.forms],
  zone: share.zone,
  interval: share.interval,
  fixed: share.fixed_at !== '',
  until: share.until || null,
  sites: [...share.sites],
  indexed: share.indexed,
});

/** How many can read it, in words. */
export function readersOf(share: Share): string {
  const live = share.readers.filter((one) => one.state !== 'taken back');
  if (!live.length) return 'nobody yet';
  if (live.every((one) => one.state === 'sent elsewhere')) return 'nobody: sent elsewhere';
  const named = live.filter((one) => one.name);
  const everybody = live.length > named.length ? 'everybody with the address' : '';
  const some = named.length ? `${named.length} named` : '';
  return [everybody, some].filter(Boolean).join(' · ');
}
