<script lang="ts">
  import PagedList from '$lib/ui/PagedList.svelte';
  import ChangeRow from '$lib/ui/ChangeRow.svelte';
  import Action from '$lib/ui/Action.svelte';
  import Sheet from '$lib/ui/Sheet.svelte';
  import TimesSheet from '$lib/mend/TimesSheet.svelte';
  import { onMount } from 'svelte';
  import { answer, client, type Schemas } from '$lib/api/client';
  import { keys } from '$lib/state/keys.svelte';
  import { count, moment } from '$lib/ui/words';

  /** A proposal or a batch: counted, explained, and its changes in two banks. */
  const { review }: { review: Schemas['ChangeSetReview'] } = $props();
  const set = $derived(review.change_set);
  let shown = $state<Schemas['ChangeOut'] | null>(null);
  let times = $state(false);
  const proposed = $derived(set.state === 'proposed');
  const archives = $derived.by((): string[] => {
    const said = set.details as { archive?: string; archives?: string[] };
    return said.archives ?? (said.archive ? [said.archive] : []);
  });
  const pushed = $derived.by(() => {
    const states = [
      [review.pushed.pushed, 'pushed to where they live'],
      [review.pushed.waiting + review.pushed.sending, 'on their way'],
      [review.pushed.refused, 'refused there'],
      [review.pushed.conflict, 'in conflict there'],
      [review.pushed.dropped, 'dropped: theirs was taken'],
    ] as const;
    return states
      .filter(([n]) => n)
      .map(([n, words]) => `${count(n)} ${words}`)
      .join(' · ');
  });
  const most = $derived(Math.max(1, ...review.by_year.map((year) => year.count)));

  onMount(() =>
    keys.offer([{ key: 't', does: 'all affected times, before and after', aim: 'find', run: () => (times = true) }]),
  );

  function fetchPage(offset: number, limit: number) {
    const params = { path: { set_id: set.id }, query: { offset, limit } };
    return answer(client.GET('/api/change-sets/{set_id}/changes', { params }));
  }

  /** So many rows of a table fit; of more it is said how many there are. */
  const FITTING = 5;
  const headed = (name: string, rows: number) => (rows > FITTING ? `${name}: ${count(rows)} in all` : name);
</script>

<div class="border-line flex flex-wrap gap-x-8 gap-y-2 border-b px-4 pt-3 pb-2">
  <div class="max-w-[46%] min-w-[300px] flex-1 max-[900px]:max-w-full">
    <p class="text-soft text-[13px]">
      {proposed ? 'Proposal' : `Batch ${set.id}`} · {moment(set.at)}{set.undone_by_id
        ? ` · undone by batch ${set.undone_by_id}`
        : ''}
    </p>
    <h1 class="text-xl leading-6 font-bold">{set.title}</h1>
    <p class="mt-1">{set.reason}</p>
    {#if set.note}<p class="text-changed mt-1">{set.note}</p>{/if}
    <p class="figures mt-2 flex gap-5">
      <span class="text-added">+ {count(set.creates)} added</span>
      <span class="text-changed">≠ {count(set.updates)} changed</span>
      <span class="text-removed">− {count(set.deletes)} removed</span>
      {#if set.held}<span class="text-same">‖ {count(set.held)} left unchanged</span>{/if}
    </p>
    {#if set.updates || (set.creates && set.deletes)}
      <p class="mt-1"><Action onclick={() => (times = true)} key="t">Times before and after</Action></p>
    {/if}
    {#if archives.length}
      <p class="mt-1 flex flex-wrap gap-x-3 text-[13px]">
        <span class="text-soft">Save the {archives.length === 1 ? 'archive' : 'archives'}:</span>
        {#each archives as file (file)}
          <a
            class="text-brass underline"
            href="/api/archives/{encodeURIComponent(file)}"
            download
            aria-label="Save the archive {file}">{file.replace(/-archive(-\d+)?\.ics$/, '').replace(/\.ics$/, '')}</a
          >
        {/each}
      </p>
    {/if}
    {#if pushed}<p class="mt-1 {review.pushed.refused || review.pushed.conflict ? 'text-removed' : ''}">
        {pushed}
      </p>{/if}
    {#each review.warnings as warning (warning)}
      <p class="border-changed mt-1 border-l-4 pl-2">{warning}</p>
    {/each}
  </div>
  {#each [{ name: 'By calendar', rows: review.by_calendar }, { name: 'By kind', rows: review.by_kind }] as table (table.name)}
    <section class="w-48 text-[13px]" aria-label={table.name}>
      <h2 class="text-soft">{headed(table.name, table.rows.length)}</h2>
      <!-- svelte-ignore a11y_no_noninteractive_tabindex (what scrolls has to be reached by keys) -->
      <dl class="ruled max-h-28 overflow-y-auto" tabindex={table.rows.length > FITTING ? 0 : undefined}>
        {#each table.rows as row (row.label)}
          <div class="flex gap-2 py-0.5">
            <dt class="min-w-0 flex-1 truncate" title={row.label}>{row.label}</dt>
            <dd class="figures">{count(row.count)}</dd>
          </div>
        {/each}
      </dl>
    </section>
  {/each}
  <section class="w-52 text-[13px]" aria-label="By year">
    <h2 class="text-soft">{headed('By year', review.by_year.length)}</h2>
    <!-- svelte-ignore a11y_no_noninteractive_tabindex (what scrolls has to be reached by keys) -->
    <dl class="max-h-28 overflow-y-auto" tabindex={review.by_year.length > FITTING ? 0 : undefined}>
      {#each review.by_year as year (year.label)}
        <div class="flex items-center gap-2">
          <dt class="figures w-14">{year.label}</dt>
          <dd class="flex min-w-0 flex-1 items-center gap-2">
            <span class="bg-same h-2" style:width="{Math.max(2, (60 * year.count) / most)}%"></span>
            <span class="figures">{count(year.count)}</span>
          </dd>
        </div>
      {/each}
    </dl>
  </section>
</div>
<div class="print-table flex min-h-0 flex-1 flex-col">
  <div class="print-head">
    <div class="border-ink gutter flex overflow-hidden border-b px-4 py-1 text-[13px] font-bold" aria-hidden="true">
      <span class="flex-1">{proposed ? 'Current' : 'Before'}</span>
      <span class="w-40"></span>
      <span class="flex-1 pl-4">{proposed ? 'Proposed' : 'After'}</span>
    </div>
  </div>
  <div class="flex min-h-0 flex-1 flex-col">
    <PagedList
      role="list"
      label="Changes in two banks"
      queryKey={['changes', set.id, set.state]}
      {fetchPage}
      rowHeight={54}
    >
      {#snippet row(change, _index)}<ChangeRow {change} onall={(one) => (shown = one)} />{/snippet}
      {#snippet empty()}<p class="text-soft p-6">No entry changes, only the calendar's properties.</p>{/snippet}
    </PagedList>
  </div>
</div>

{#if times}<TimesSheet set={set.id} {proposed} onclose={() => (times = false)} />{/if}
{#if shown}
  <Sheet label="Every field" width={900} leave="Close" onclose={() => (shown = null)}>
    <h2 class="mb-1 text-lg font-bold">{shown.after?.what ?? shown.before?.what}</h2>
    <p class="text-soft mb-3">{shown.calendar} · {shown.after?.when ?? shown.before?.when}</p>
    <dl class="ruled text-[13px]">
      {#each shown.fields as field (field.label)}
        <div class="grid grid-cols-[1fr_120px_1fr] gap-x-3 py-1">
          <dd class="text-removed break-words whitespace-pre-wrap">{field.left.join('\n') || 'none'}</dd>
          <dt class="border-line border-x px-2 text-center font-bold">{field.label}</dt>
          <dd class="text-added break-words whitespace-pre-wrap">{field.right.join('\n') || 'none'}</dd>
        </div>
      {/each}
    </dl>
  </Sheet>
{/if}
