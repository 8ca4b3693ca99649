import { goto } from '$app/navigation';
import { answer, client, Refusal, type Job, type Schemas } from '$lib/api/client';
import { looking } from '$lib/state/looking.svelte';
import { notices } from '$lib/state/notice.svelte';

/** The content of a file, in Base64. */
async function packed(file: File): Promise<string> {
  const read = new FileReader();
  const said = new Promise<string>((resolve, reject) => {
    read.onload = () => resolve(String(read.result));
    read.onerror = () => reject(new Refusal(`${file.name} cannot be read.`));
  });
  read.readAsDataURL(file);
  return (await said).split(',')[1] ?? '';
}

const SHEETS = ['.csv', '.xlsx'];

/** A job once it has ended. */
async function ended(id: number): Promise<Job> {
  for (;;) {
    const job = await answer(client.GET('/api/jobs/{job_id}', { params: { path: { job_id: id } } }));
    if (!['queued', 'running'].includes(job.state)) return job;
    await new Promise((resolve) => setTimeout(resolve, 250));
  }
}

/** Files brought by dropping them anywhere in the window, or by choosing them; being sent, then read. */
class Importing {
  sending = $state(false);
  job = $state<number | null>(null);
  /** A message without an invitation, as an event to be made of it. */
  draft = $state<Schemas['DraftOut'] | null>(null);
  /** A table of which nothing tells whether the day or the month comes first, with one of its dates. */
  dates = $state<{ file: File; example: string } | null>(null);

  async files(list: FileList | null | undefined): Promise<void> {
    if (!list?.length || this.sending) return;
    const sheet = [...list].find((file) => SHEETS.some((end) => file.name.toLowerCase().endsWith(end)));
    if (sheet) return this.sheet(sheet);
    this.sending = true;
    const body = new FormData();
    for (const file of list) body.append('files', file);
    try {
      const response = await fetch('/api/imports', { method: 'POST', body });
      const said = await response.json();
      if (said.code === 'no-calendar-part' && list.length === 1 && list[0]) return await this.#message(list[0]);
      if (!response.ok) throw new Refusal(said.detail ?? 'The file was not accepted.');
      this.job = said.job_id;
      await goto('/connect');
    } catch (error) {
      notices.wrong(error);
    } finally {
      this.sending = false;
    }
  }

  /** A spreadsheet that was exported here and edited: compared, and shown as a proposal.
   *
   * `order` is which comes first in a date such as 3/4/2025; it is asked for where nothing tells it. */
  async sheet(file: File, order: '' | 'day' | 'month' = ''): Promise<void> {
    this.sending = true;
    this.dates = null;
    try {
      notices.say(`Comparing ${file.name} with the entries here…`);
      const body = { name: file.name, data: await packed(file), order };
      const { job_id } = await answer(client.POST('/api/sheets', { body }));
      const job = await ended(job_id);
      if (job.state !== 'done') throw new Refusal(job.message);
      if (job.result.asks) {
        this.dates = { file, example: String(job.result.asks) };
        notices.say(`${file.name} is not compared yet: its dates can be read in two ways.`);
        return;
      }
      const unread = (job.result.unread as string[] | undefined)?.length ?? 0;
      notices.say(unread ? `${unread} rows could not be read; the proposal says which and why.` : 'Compared.');
      await goto(`/mend/${job.result.set_id}`);
    } catch (error) {
      notices.wrong(error);
    } finally {
      this.sending = false;
    }
  }

  async #message(file: File): Promise<void> {
    await looking.load();
    const body = new FormData();
    body.append('file', file);
    const response = await fetch(`/api/imports/draft?zone=${encodeURIComponent(looking.zone)}`, {
      method: 'POST',
      body,
    });
    const said = await response.json();
    if (!response.ok) throw new Refusal(said.detail ?? 'The message was not accepted.');
    this.draft = said as Schemas['DraftOut'];
    await goto('/connect/message');
  }
}

export const importing = new Importing();
