import createClient from 'openapi-fetch';
import { reach } from '$lib/api/reach.svelte';
import type { components, paths } from './generated';

export type Schemas = components['schemas'];
export type Entry = Schemas['EntryOut'];
export type ChangeSet = Schemas['ChangeSetOut'];
export type ImportFile = Schemas['ImportOut'];
export type Job = Schemas['JobOut'];
export type Calendar = Schemas['CalendarOut'];
export type Account = Schemas['AccountOut'];
export type Remote = Schemas['RemoteOut'];
export type Fields = Required<Schemas['Fields']>;

export const client = createClient<paths>({ fetch: reach.fetch });

/** What the server said when it could not do something: a sentence to show as it is. */
export class Refusal extends Error {
  constructor(
    message: string,
    /** For another system that could not be asked: what kind of trouble, */
    readonly trouble = '',
    /** and where name and password would go if the person agrees. */
    readonly origin = '',
  ) {
    super(message);
  }
}

/** The data of an answer, or its refusal as an error with the server's own words. */
export async function answer<T>(call: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  let result;
  try {
    result = await call;
  } catch {
    throw new Refusal('Date Bridge does not answer. Is it still running? Start it again and try once more.');
  }
  if (result.response.ok) return result.data as T;
  const said = result.error as Partial<Schemas['Refusal']> | undefined;
  const words = said?.detail ?? `The server answered with status ${result.response.status}. Its log gives the reason.`;
  throw new Refusal(words, said?.trouble, said?.origin);
}

/** Ask for a file and hand it to the browser to save; returns its name. */
export async function save(path: string, body: unknown): Promise<string> {
  const headers = { 'Content-Type': 'application/json' };
  const response = await reach.fetch(new Request(path, { method: 'POST', headers, body: JSON.stringify(body) }));
  if (!response.ok) throw new Refusal((await response.json().catch(() => null))?.detail ?? 'The file was not created.');
  const name = decodeURIComponent(response.headers.get('X-File-Name') ?? 'date-bridge');
  const link = document.createElement('a');
  link.href = URL.createObjectURL(await response.blob());
  link.download = name;
  link.click();
  URL.revokeObjectURL(link.href);
  return name;
}
