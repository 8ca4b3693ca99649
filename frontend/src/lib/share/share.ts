import { key, query } from '$lib/api/queries';
import { answer, client, type Schemas } from '$lib/api/client';

export type Share = Schemas['ShareOut'];
export type Wanted = Required<Schemas['WantedIn']> & { terms: Required<Schemas['TermsIO']> };
export type Told = Schemas['ToldOut'];

export const DETAILS: [Schemas['Detail'], string, string][] = [
  ['everything', 'Everything', 'all properties of an entry'],
  ['without-people', 'Without people', 'everything except attendees, organiser and contact'],
  ['titles', 'Titles, times and places', 'no notes, no people, no categories, no links'],
  ['busy', 'Only busy', 'only when somebody is busy, with one title'],
];
export const GUARDED: [Schemas['Guarded'], string][] = [
  ['leave-out', 'left out'],
  ['busy', 'shared as busy'],
  ['as-others', 'given like all others'],
];

/** What a format is called. */
export const formName = (formats: Schemas['FormatOut'][] | undefined, form: string): string =>
  formats?.find((one) => one.form === form)?.name ?? form;

export const sharesQuery = () =>
  query(() => ({ queryKey: key('shares'), queryFn: () => answer(client.GET('/api/shares')) }));

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
  const live = share.readers.filter((one) => one.state !== 'revoked');
  if (!live.length) return 'nobody yet';
  if (live.every((one) => one.state === 'redirected')) return 'redirected, no readers';
  const named = live.filter((one) => one.name);
  const everybody = live.length > named.length ? 'everyone with the address' : '';
  const some = named.length ? `${named.length} named` : '';
  return [everybody, some].filter(Boolean).join(' · ');
}
