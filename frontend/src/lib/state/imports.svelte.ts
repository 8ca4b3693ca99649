import { goto } from '$app/navigation';
import { Refusal } from '$lib/api/client';
import { notices } from '$lib/state/notice.svelte';

/** Files brought by dropping them anywhere in the window, or by choosing them; being sent, then read. */
class Importing {
  sending = $state(false);
  job = $state<number | null>(null);

  async files(list: FileList | null | undefined): Promise<void> {
    if (!list?.length || this.sending) return;
    this.sending = true;
    const body = new FormData();
    for (const file of list) body.append('files', file);
    try {
      const response = await fetch('/api/imports', { method: 'POST', body });
      const said = await response.json();
      if (!response.ok) throw new Refusal(said.detail ?? 'The file was not taken.');
      this.job = said.job_id;
      await goto('/connect');
    } catch (error) {
      notices.wrong(error);
    } finally {
      this.sending = false;
    }
  }
}

export const importing = new Importing();
