<script lang="ts">
  import { key, query } from '$lib/api/queries';
  import { keepPreviousData } from '@tanstack/svelte-query';
  import PagedList from '$lib/ui/PagedList.svelte';
  import SeenRow from '$lib/share/SeenRow.svelte';
  import { answer, client, type Schemas } from '$lib/api/client';
  import { count, counted } from '$lib/ui/words';
  import { sharesQuery, type Wanted } from '$lib/share/share';

  /** A share through its readers' eyes: beside its source in two banks, as the page, as the text of each form. */
  type Props = { wanted: Wanted; share?: number; says?: string };
  let { wanted, share, says = $bindable('') }: Props = $props();
  const WHICH = [
    ['all', 'all entries'],
    ['given', 'given'],
    ['busy', 'private as busy'],
    ['left out', 'left out'],
  ] as const;
  let view = $state<'banks' | 'page' | 'text'>('banks');
  let which = $state<Schemas['SeenIn']['which']>('all');
  let form = $state<Schemas['Form']>('feed');
  const shares = sharesQuery();
  const texts = $derived((shares.data?.formats ?? []).filter((one) => one.hosted));
  let opened = $state(0);
  // What is typed is looked at once it rests.
  // svelte-ignore state_referenced_locally (what is begun with)
  let settled = $state(JSON.stringify(wanted));
  $effect(() => {
    const next = JSON.stringify(wanted);
    const waits = setTimeout(() => (settled = next), 350);
    return () => clearTimeout(waits);
  });
  const said = $derived(JSON.parse(settled) as Wanted);
  const asked = $derived(!!said.calendars.length || !!said.filter.trim());
  const body = $derived({ ...said, title: said.title || 'Untitled', owner: said.owner || 'nobody yet' });
  const fetchPage = (offset: number, limit: number) =>
    answer(client.POST('/api/shares/seen', { body: { wanted: body, share, which, offset, limit } }));
  const seen = query(() => ({
    queryKey: key('seen', settled, which, 'head'),
    queryFn: () => fetchPage(0, 1),
    enabled: asked,
    placeholderData: keepPreviousData,
    retry: false,
  }));
  const text = query(() => ({
    queryKey: key('seen', settled, 'text', form),
    queryFn: () =>
      answer(
        client.POST('/api/shares/seen/{form}', {
          params: { path: { form } },
          body: { wanted: body, share, which: 'all', offset: 0, limit: 1 },
          parseAs: 'text',
        }),
      ),
    enabled: asked && view === 'text',
    placeholderData: keepPreviousData,
  }));
  const address = $derived(
    `/api/shares/seen/page?${new URLSearchParams({ wanted: JSON.stringify(body), ...(share ? { share: String(share) } : {}) })}`,
  );
  const LONGEST = 60_000;
  const shown = $derived(String(text.data ?? ''));
  $effect(() => {
    says = asked ? (seen.data?.says ?? '') : '';
  });
</script>

<div class="border-line flex flex-wrap items-center gap-x-4 gap-y-1 border-b px-4 py-1.5">
  <h2 class="font-bold">As readers see it</h2>
  <div class="flex" role="group" aria-label="Seen as">
    {#each [['banks', 'entry by entry'], ['page', 'the page'], ['text', 'the text']] as [value, name] (value)}
      <button
        class="border-line border px-2 py-0.5 text-[13px] {view === value
          ? 'bg-ink text-paper'
          : 'bg-sheet hover:bg-shade'}"
        aria-pressed={view === value}
        onclick={() => (view = value as typeof view)}>{name}</button
      >
    {/each}
  </div>
  {#if view === 'banks'}
    <label class="flex items-center gap-2 text-[13px]"
      >Show
      <select class="field-small" aria-label="Show" bind:value={which}
        >{#each WHICH as [value, name] (value)}<option {value}>{name}</option>{/each}</select
      ></label
    >
  {:else if view === 'text'}
    <label class="flex items-center gap-2 text-[13px]"
      >Form
      <select class="field-small" aria-label="Form" bind:value={form}
        >{#each texts as one (one.form)}<option value={one.form}>{one.name}</option>{/each}</select
      ></label
    >
  {/if}
</div>
{#each seen.data?.warnings ?? [] as warning (warning.what)}
  <p class="border-changed bg-sheet border-l-4 px-4 py-1 text-[13px]" role="alert">
    <strong>{counted(warning.entries, 'entry seems', 'entries seem')} to hold {warning.what}</strong> in the shared
    entries, such as “{warning.found}” in “{warning.title}”.
  </p>
{/each}
{#if !asked}
  <p class="text-soft px-4 py-6">Choose calendars or enter a filter. What readers would get is shown here.</p>
{:else if seen.isError}
  <p class="text-removed px-4 py-3" role="alert">{seen.error.message}</p>
{:else if view === 'page'}
  <iframe
    title="The page as readers see it"
    src={address}
    class="min-h-0 w-full flex-1 border-0"
    sandbox="allow-same-origin allow-forms"
  ></iframe>
{:else if view === 'text'}
  <!-- svelte-ignore a11y_no_noninteractive_tabindex (what scrolls must be reached by key) -->
  <pre
    class="figures min-h-0 flex-1 overflow-auto px-4 py-2 text-[12px]"
    tabindex="0"
    aria-label="The text of the form">{shown.slice(0, LONGEST)}{shown.length > LONGEST
      ? `\n… ${count(shown.length - LONGEST)} more characters`
      : ''}</pre>
{:else}
  <div
    class="gutter border-line text-soft grid grid-cols-[1fr_44px_1fr] overflow-y-auto border-b px-4 py-0.5 text-[12px]"
    aria-hidden="true"
  >
    <span>the entry</span><span></span><span>what readers get</span>
  </div>
  <PagedList
    queryKey={['seen', settled, which]}
    {fetchPage}
    rowHeight={46}
    role="list"
    label="Entries beside what readers get of them"
  >
    {#snippet row(one: Schemas['SeenRow'] | undefined, index: number)}
      {#if one}<SeenRow {one} onopen={() => (opened = opened === index + 1 ? 0 : index + 1)} />{/if}
    {/snippet}
    {#snippet empty()}<p class="px-4 py-3">{which === 'all' ? 'Empty.' : 'None.'}</p>{/snippet}
  </PagedList>
  {#if opened}
    {#key opened}
      {#await fetchPage(opened - 1, 1) then one}
        {#if one.rows[0]}
          <section
            class="border-ink bg-sheet max-h-[46%] shrink-0 overflow-y-auto border-t-2"
            aria-label="Line by line"
          >
            <div class="flex items-center gap-3 px-4 py-1">
              <h3 class="min-w-0 flex-1 truncate font-bold">{one.rows[0].title || '(no title)'}, line by line</h3>
              <button class="hover:bg-shade px-2" onclick={() => (opened = 0)}>Close</button>
            </div>
            <table class="figures w-full table-fixed text-[12px]">
              <thead class="visually-hidden"><tr><th>as it stands</th><th>what readers get</th></tr></thead>
              <tbody>
                {#each one.rows[0].lines as line, k (k)}
                  {@const same = line.given.length === 1 && line.given[0] === line.source}
                  <tr class="border-line border-t align-top">
                    <td
                      class="w-1/2 px-4 py-0.5 break-all {line.given.length || !line.source
                        ? ''
                        : 'text-removed line-through'}">{line.source}</td
                    >
                    <td class="w-1/2 px-4 py-0.5 break-all {same ? '' : 'bg-picked'}"
                      >{#each line.given as given, g (g)}<span class="block">{given}</span>{:else}<span
                          class="text-soft">− left out</span
                        >{/each}</td
                    >
                  </tr>
                {/each}
              </tbody>
            </table>
          </section>
        {/if}
      {/await}
    {/key}
  {/if}
{/if}
