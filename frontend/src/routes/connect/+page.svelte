<script lang="ts">
  import { goto } from '$app/navigation';
  import { useQueryClient } from '@tanstack/svelte-query';
  import { onMount } from 'svelte';
  import { walking } from '$lib/state/focus';
  import Action from '$lib/ui/Action.svelte';
  import FewRows from '$lib/ui/FewRows.svelte';
  import JobLine from '$lib/ui/JobLine.svelte';
  import AddAddress from '$lib/connect/AddAddress.svelte';
  import CalendarList from '$lib/connect/CalendarList.svelte';
  import TakeMany from '$lib/connect/TakeMany.svelte';
  import { attempt } from '$lib/state/attempt.svelte';
  import { importing } from '$lib/state/imports.svelte';
  import { keys } from '$lib/state/keys.svelte';
  import { answer, client, type ImportFile, type Job } from '$lib/api/client';
  import { calendarsQuery, key, query, refreshAll, routeQuery } from '$lib/api/queries';
  import { notices } from '$lib/state/notice.svelte';
  import { count, counted, moment, bytes } from '$lib/ui/words';

  const TALKING = ['pull', 'push', 'survey'];
  const queries = useQueryClient();
  const route = routeQuery();
  const calendars = calendarsQuery();
  const files = query(() => ({ queryKey: key('imports'), queryFn: () => answer(client.GET('/api/imports')) }));
  const running = query(() => ({
    queryKey: key('jobs'),
    queryFn: () => answer(client.GET('/api/jobs')),
  }));

  const waiting = $derived((files.data ?? []).filter((file) => file.state !== 'taken'));
  const first = $derived(waiting.find((file) => file.state === 'waiting'));
  const ready = $derived(waiting.filter((file) => file.state === 'waiting').length);
  const rest = $derived((files.data ?? []).filter((file) => file.state === 'taken'));

  let input: HTMLInputElement;
  let field: AddAddress;
  let taking = $state(false);
  const job = $derived(
    importing.job ??
      running.data?.find((j) => j.kind === 'read' && ['queued', 'running'].includes(j.state))?.id ??
      null,
  );
  const surveys = $derived(
    (running.data ?? []).filter((j) => TALKING.includes(j.kind) && ['queued', 'running'].includes(j.state)),
  );

  async function ended(done: Job): Promise<void> {
    importing.job = null;
    await refreshAll(queries);
    if (done.state !== 'done') notices.say(done.message, 'wrong');
    else {
      const read = done.result.files as number[];
      if (read.length === 1) await goto(`/connect/${read[0]}`);
      else notices.say(`${counted(read.length, 'file', 'files')} read. Nothing is in any calendar yet.`);
    }
  }

  async function readAgain(file_id: number): Promise<void> {
    const params = { path: { file_id } };
    const done = await attempt(async () => {
      importing.job = (await answer(client.POST('/api/imports/{file_id}/read', { params }))).job_id;
    });
    if (done) await refreshAll(queries);
  }

  onMount(() =>
    keys.offer([
      { key: '/', does: 'enter an address', aim: 'find', run: () => field.focus() },
      {
        key: 'w',
        does: 'review the first file',
        aim: 'go',
        run: () => void (first && goto(`/connect/${first.id}`)),
      },
      { key: 'k', does: 'what the accounts keep', aim: 'go', run: () => void goto('/connect/keeps') },
      {
        key: 'd',
        does: 'review changes that failed',
        aim: 'go',
        run: () => void (route.data?.to_decide && goto('/connect/conflicts')),
      },
    ]),
  );

  async function turnAway(id: number, name: string): Promise<void> {
    try {
      await answer(client.DELETE('/api/imports/{file_id}', { params: { path: { file_id: id } } }));
      notices.say(`${name} is turned away.`);
      await refreshAll(queries);
    } catch (error) {
      notices.wrong(error);
    }
  }
</script>

<svelte:head><title>Connect · Date Bridge</title></svelte:head>

<div
  class="min-h-0 flex-1 overflow-y-auto px-4 py-3"
  role="region"
  aria-label="Connect"
  tabindex="-1"
  data-rest
  data-part
  {@attach walking('a[href], button', undefined, true)}
>
  <h1 class="visually-hidden">Connect: accounts, feeds and files</h1>
  <div class="bg-sheet border-line mb-4 border px-4 py-3">
    {#if calendars.data?.length === 0 && !waiting.length}
      <p class="mb-2 text-base font-bold">
        Start here: enter the address of the system you are leaving, or drop a file.
      </p>
    {/if}
    <AddAddress bind:this={field} />
    <div class="border-line mt-3 flex items-center gap-3 border-t border-dashed pt-3">
      <p class="text-soft flex-1">
        <strong class="text-ink">Files:</strong> drop .ics files, a .zip of them, or a message (.eml) anywhere in this window.
        You review each file before it is imported. A file is a one-time import; later changes to it are not picked up.
      </p>
      <input
        bind:this={input}
        type="file"
        multiple
        accept=".ics,.ical,.eml,.zip,text/calendar,message/rfc822,application/zip"
        class="visually-hidden"
        id="files"
        aria-label="Calendar files"
        tabindex="-1"
        onchange={() => void importing.files(input.files).then(() => input && (input.value = ''))}
      />
      <Action onclick={() => input.click()} disabled={importing.sending || job !== null}>
        {importing.sending ? 'Sending…' : 'Choose files…'}
      </Action>
    </div>
  </div>
  {#if route.data?.to_decide}
    <p class="border-removed mb-4 flex items-center gap-3 border-l-4 pl-3" role="status">
      <span class="flex-1">
        <strong>{counted(route.data.to_decide, 'change has', 'changes have')} not arrived</strong> where the calendar lives:
        refused, or made where somebody else had changed the same entry.
      </span>
      <Action kind="main" href="/connect/conflicts" key="d">Review and decide</Action>
    </p>
  {/if}
  {#each surveys as one (one.id)}
    <div class="mb-3"><JobLine behind id={one.id} onended={() => void refreshAll(queries)} /></div>
  {/each}
  {#if job !== null}<div class="mb-5"><JobLine id={job} onended={(done) => void ended(done)} /></div>{/if}

  {#if files.isError}<p class="text-removed py-2">{files.error.message}</p>{/if}
  {@render list('Files to review', waiting)}
  {#if ready > 1}
    <p class="-mt-4 mb-6">
      <Action onclick={() => (taking = true)}>Import several of {count(ready)} files…</Action>
    </p>
  {/if}
  <div class="mb-6"><CalendarList /></div>
  {@render list('Files imported', rest)}
</div>

{#if taking}
  <TakeMany files={waiting.filter((file) => file.state === 'waiting')} onclose={() => (taking = false)} />
{/if}

{#snippet list(title: string, rows: ImportFile[])}
  {#if rows.length}
    <section class="mb-6" aria-label={title}>
      <h2 class="border-ink border-b pb-1 font-bold">{title}</h2>
      <FewRows {rows}>
        {#snippet row(file: ImportFile)}
          <li class="flex min-h-10 flex-wrap items-center gap-x-4 gap-y-1 py-0.5 text-[13px]">
            <span class="w-64 truncate font-medium" title={file.name}>{file.name}</span>
            <span class="w-36 {file.state === 'waiting' ? 'text-changed font-bold' : 'text-soft'}">
              {file.state === 'waiting'
                ? 'to review'
                : file.state === 'taken'
                  ? 'snapshot, imported'
                  : file.again
                    ? 'reading broken off'
                    : file.state}
            </span>
            <span class="figures w-28 text-right">{counted(file.entries, 'entry', 'entries')}</span>
            <span class="figures w-28 text-right {file.problems ? 'text-removed' : 'text-soft'}">
              {file.problems ? counted(file.problems, 'problem', 'problems') : 'no problems'}
            </span>
            <span class="figures text-soft w-20 text-right">{bytes(file.size)}</span>
            <span class="figures text-soft w-36">{moment(file.at)}</span>
            <span class="text-soft flex-1 truncate" title={file.message}>{file.again ? '' : file.message}</span>
            {#if file.state === 'waiting'}
              <Action onclick={() => void turnAway(file.id, file.name)} named="Discard {file.name}">Discard</Action>
              <Action
                kind="main"
                href="/connect/{file.id}"
                named={file === first ? '' : `Review ${file.name}`}
                key={file === first ? 'w' : ''}>Review</Action
              >
            {:else if file.state === 'refused'}
              {#if file.again}<Action onclick={() => void readAgain(file.id)}>Read again</Action>{/if}
              <Action onclick={() => void turnAway(file.id, file.name)} named="Discard {file.name}">Discard</Action>
            {:else if file.state === 'taken'}
              <Action href="/logbook/{file.set_id}">Batch {count(file.set_id ?? 0)}</Action>
            {/if}
          </li>
        {/snippet}
      </FewRows>
    </section>
  {/if}
{/snippet}
