<script lang="ts">
  import { goto } from '$app/navigation';
  import { useQueryClient } from '@tanstack/svelte-query';
  import Action from '$lib/ui/Action.svelte';
  import JobLine from '$lib/ui/JobLine.svelte';
  import PagedList from '$lib/ui/PagedList.svelte';
  import Archive from '$lib/look/Archive.svelte';
  import Change from '$lib/look/Change.svelte';
  import { answer, client, type Calendar, type Job, type Schemas } from '$lib/api/client';
  import { refresh, refreshAll } from '$lib/api/queries';
  import { attempt, begin } from '$lib/state/attempt.svelte';
  import { notices } from '$lib/state/notice.svelte';
  import { count, counted, SEVERITY } from '$lib/ui/words';

  /** One check: what comes of it, what can be done at once, and the entries with what it says of each. */
  type Props = { check: Schemas['CheckCount']; calendar: number; calendars: Map<number, Calendar> };
  const { check, calendar, calendars }: Props = $props();
  const queries = useQueryClient();
  let job = $state<number | null>(null);
  let dialog = $state<'change' | 'archive' | null>(null);
  const all = $derived<Schemas['SelectionIn']>({ filter: check.filter, excluded: [], only: null });
  const table = $derived(`/look?filter=${encodeURIComponent(check.filter)}`);
  const INK: Record<string, string> = { breaks: 'text-removed', alters: 'text-changed', untidy: 'text-same' };

  /** What one mostly does with it: the button in brass, and the key `p`. */
  export async function act(): Promise<void> {
    if (check.left_out) return;
    if (check.fixable) {
      await begin(async () => {
        const params = { path: { code: check.code }, query: calendar ? { calendar } : {} };
        job = (await answer(client.POST('/api/checks/{code}/fix', { params }))).job_id;
      });
    } else if (check.remedy === 'delete') {
      await attempt(async () => {
        const proposed = await answer(client.POST('/api/deletions', { body: all }));
        await goto(`/mend/${proposed.set_id}`);
      });
    } else if (check.remedy === 'look') await goto(table);
    else dialog = check.remedy;
  }

  /** One entry alone, put right as all could be. */
  async function fixOne(entry: number): Promise<void> {
    await begin(async () => {
      const params = { path: { code: check.code }, query: { entry } };
      job = (await answer(client.POST('/api/checks/{code}/fix', { params }))).job_id;
    });
  }

  export async function leave(): Promise<void> {
    const params = { path: { code: check.code } };
    const [counts, title] = [check.left_out, check.title];
    await attempt(async () => {
      if (counts) await answer(client.DELETE('/api/checks/{code}/left-out', { params }));
      else await answer(client.PUT('/api/checks/{code}/left-out', { params }));
      notices.say(counts ? `“${title}” counts again.` : `“${title}” is ignored; nothing was changed.`);
    });
    await refreshAll(queries);
  }

  /** Leave one entry out, or all that were left out back in. */
  async function except(entry: number | null): Promise<void> {
    await attempt(async () => {
      const code = check.code;
      if (entry === null)
        await answer(client.DELETE('/api/checks/{code}/left-out/entries', { params: { path: { code } } }));
      else
        await answer(
          client.PUT('/api/checks/{code}/left-out/{entry_id}', { params: { path: { code, entry_id: entry } } }),
        );
      notices.say(entry === null ? 'The findings count again.' : 'The finding is ignored; the entry stays as it is.');
    });
    await refresh(queries, 'checked');
    await refreshAll(queries);
  }

  async function made(done: Job): Promise<void> {
    job = null;
    const set = (done.result as { set_id?: number } | null)?.set_id;
    if (done.state === 'done' && set) await goto(`/mend/${set}`);
    else notices.say(done.message, 'wrong');
  }
</script>

<div class="border-line border-b px-4 py-2">
  <p class="text-[13px]">
    <strong class={INK[check.severity]}>{check.severity}</strong>
    <span class="text-soft"
      >· {check.left_out
        ? 'ignored: not counted'
        : check.wrong
          ? SEVERITY[check.severity]
          : 'valid, but rarely wanted'}</span
    >
  </p>
  <h2 class="text-lg leading-6 font-bold">{check.title}: {counted(check.count, 'entry', 'entries')}</h2>
  {#if check.why}<p class="mt-1 max-w-[80ch]">{check.why}</p>{/if}
  <div class="mt-2 flex flex-wrap gap-2">
    {#if !check.left_out}
      {#if check.fixable}
        <Action kind="main" onclick={() => void act()} key="p" hint="Makes a proposal; nothing is changed yet"
          >Fix {count(check.count)}…</Action
        >
      {:else if check.remedy === 'change'}
        <Action kind="main" onclick={() => void act()} key="p">Change {count(check.count)}…</Action>
      {:else if check.remedy === 'delete'}
        <Action kind="grave" onclick={() => void act()} key="p">Delete {count(check.count)}…</Action>
      {:else if check.remedy === 'archive'}
        <Action kind="main" onclick={() => void act()} key="p">Archive {count(check.count)}…</Action>
      {/if}
    {/if}
    <Action href={table} key={check.remedy === 'look' && !check.fixable ? 'p' : ''}>Show them in the table</Action>
    <Action onclick={() => void leave()} key="x" hint="Stop counting this finding; entries stay as they are"
      >{check.left_out ? 'Stop ignoring' : 'Ignore'}</Action
    >
  </div>
  {#if check.excepted}
    <p class="mt-2 flex items-center gap-3 text-[13px]">
      {counted(check.excepted, 'entry does', 'entries do')} not count.
      <Action onclick={() => void except(null)} named="Stop ignoring: {check.title}">Stop ignoring</Action>
    </p>
  {/if}
  {#if job !== null}<div class="mt-2"><JobLine id={job} onended={(done) => void made(done)} /></div>{/if}
</div>
<PagedList
  role="list"
  label="Entries"
  queryKey={['checked', check.code, calendar, check.count, check.excepted]}
  fetchPage={(offset, limit) =>
    answer(
      client.GET('/api/checks/{code}/entries', {
        params: { path: { code: check.code }, query: { ...(calendar ? { calendar } : {}), offset, limit } },
      }),
    )}
  rowHeight={44}
>
  {#snippet row(one, _at)}
    <div role="listitem" class="border-line h-full border-b px-4 py-1 text-[13px]">
      {#if one}
        <div class="flex gap-3">
          <span class="figures shrink-0">{one.entry.when}</span>
          <span class="min-w-0 flex-1 truncate font-medium" title={one.entry.what}>{one.entry.what}</span>
          <span class="text-soft max-w-48 truncate">{calendars.get(one.entry.calendar_id ?? 0)?.label ?? ''}</span>
          {#if check.fixable && !check.left_out}
            <button
              class="text-brass underline"
              aria-label="Fix {one.entry.what}"
              title="Makes a proposal for this entry"
              onclick={() => void fixOne(one.entry.id)}>fix</button
            >
          {/if}
          {#if check.wrong && !check.left_out}
            <button
              class="text-brass underline"
              aria-label="Ignore {one.entry.what}"
              title="This is intended: stop counting it"
              onclick={() => void except(one.entry.id)}>ignore</button
            >
          {/if}
        </div>
        <div class="text-soft truncate" title={one.message}>
          {one.message || [one.entry.repeats, one.entry.where, one.entry.marks.join(', ')].filter(Boolean).join(' · ')}
        </div>
      {:else}<span class="text-soft">…</span>{/if}
    </div>
  {/snippet}
  {#snippet empty()}<p class="text-soft p-4">No findings left.</p>{/snippet}
</PagedList>

{#if dialog === 'change'}
  <Change selection={all} chosen={check.count} steps={check.steps} onclose={() => (dialog = null)} />
{:else if dialog === 'archive'}
  <Archive selection={all} chosen={check.count} name={check.title} onclose={() => (dialog = null)} />
{/if}
