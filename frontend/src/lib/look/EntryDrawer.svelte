<script lang="ts">
  import { key, query } from '$lib/api/queries';
  import Action from '$lib/ui/Action.svelte';
  import Export from '$lib/look/Export.svelte';
  import { answer, client } from '$lib/api/client';
  import { drawer } from '$lib/state/focus';
  import { showInTime } from '$lib/time/open';

  /** One entry in full: its facts, what is wrong with it, and its source with the lines numbered. */
  const { id, onclose, onedit }: { id: number; onclose: () => void; onedit?: () => void } = $props();

  let exporting = $state(false);
  const detail = query(() => ({
    queryKey: key('entry', id),
    queryFn: () => answer(client.GET('/api/entries/{entry_id}', { params: { path: { entry_id: id } } })),
  }));
</script>

<aside
  {@attach drawer(() => onclose())}
  aria-label="Entry in full"
  class="bg-sheet border-ink flex w-[440px] shrink-0 flex-col overflow-y-auto border-l-2 p-4 text-[13px]"
>
  <h2 data-first tabindex="-1" class="mb-2 text-base leading-5 font-bold">{detail.data?.row.what ?? 'Fetching…'}</h2>
  <div class="mb-2 flex flex-wrap items-start gap-2">
    {#if onedit && ['event', 'to-do'].includes(detail.data?.row.kind ?? '')}
      <Action onclick={onedit} hint="Edit this entry">Edit</Action>
    {/if}
    <Action onclick={() => void showInTime(id)} key="i" hint="Show it in time, with the other layers">In time</Action>
    <Action onclick={() => (exporting = true)} hint="Export this entry as a file">Export…</Action>
    <Action onclick={onclose} key="Esc">Close</Action>
  </div>
  {#if detail.isError}
    <p class="text-removed">{detail.error.message}</p>
  {:else if detail.data}
    {@const entry = detail.data}
    <p class="figures">{entry.row.when} {entry.row.zone}</p>
    <p class="text-soft mb-3">
      {entry.calendar || 'no longer in a calendar'}{entry.row.repeats ? ` · ${entry.row.repeats}` : ''}{entry.row.until
        ? ` (${entry.row.until})`
        : ''}
    </p>
    {#if entry.problems.length}
      <section aria-label="What is wrong" class="border-removed mb-3 border-l-4 pl-3">
        {#each entry.problems as problem (problem.code + problem.line + problem.message)}
          <p>
            <strong class="text-removed">{problem.severity}</strong>
            {problem.message}
            {problem.done}{problem.line ? ` Line ${problem.line} of the file.` : ''}
          </p>
        {/each}
      </section>
    {/if}
    {#if entry.answers.length}
      <p class="mb-2">
        <strong>Answers:</strong>
        {entry.answers.map((one) => `${one.value} ${one.label}`).join(', ')}
      </p>
    {/if}
    <dl class="ruled mb-4">
      {#each entry.facts as fact, k (k)}
        <div class="flex gap-3 py-1">
          <dt class="text-soft w-28 shrink-0">{fact.label}</dt>
          <dd class="min-w-0 flex-1 break-words whitespace-pre-wrap">
            {#each fact.value.split(/(?<=[/@])/) as part, n (n)}{part}<wbr />{/each}
          </dd>
        </div>
      {/each}
    </dl>
    <h3 class="mb-1 font-bold">Source text</h3>
    {#if entry.file}
      <p class="text-soft mb-1">As read from {entry.file}, line {entry.file_line}; folded lines are joined.</p>
    {/if}
    <ol class="figures bg-paper border-line border text-[12px]" aria-label="Source text">
      {#each entry.source as line, k (k)}
        <li class="flex gap-2 px-2">
          <span class="text-soft w-7 shrink-0 text-right select-none">{k + 1}</span>
          <span class="min-w-0 flex-1 break-all whitespace-pre-wrap">{line}</span>
        </li>
      {/each}
    </ol>
  {/if}
</aside>

{#if exporting}
  <Export
    selection={{ filter: '', excluded: [], only: [id] }}
    name={detail.data?.row.what ?? 'entry'}
    onclose={() => (exporting = false)}
  />
{/if}
