<script lang="ts">
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { useQueryClient } from '@tanstack/svelte-query';
  import Action from '$lib/ui/Action.svelte';
  import Deck from '$lib/ui/Deck.svelte';
  import PagedList from '$lib/ui/PagedList.svelte';
  import GroupChoice from '$lib/connect/GroupChoice.svelte';
  import Invitations from '$lib/connect/Invitations.svelte';
  import { answer, client, type Schemas } from '$lib/api/client';
  import { calendarsQuery, key, query, refreshAll } from '$lib/api/queries';
  import { notices } from '$lib/state/notice.svelte';
  import { apply } from '$lib/state/undo';
  import { count, counted, bytes } from '$lib/ui/words';

  const queries = useQueryClient();
  const id = $derived(Number(page.params.id));
  const params = $derived({ path: { file_id: id } });
  const calendars = calendarsQuery();
  const detail = query(() => ({
    queryKey: key('imports', id),
    queryFn: () => answer(client.GET('/api/imports/{file_id}', { params })),
  }));

  /** So many kinds of problems are named above the list. */
  const KINDS = 6;
  const others = $derived(detail.data?.problem_counts.slice(KINDS).reduce((sum, kind) => sum + kind.count, 0) ?? 0);
  let decisions = $state<Schemas['DecisionIn'][]>([]);
  let busy = $state(false);
  const INK: Record<string, string> = { breaks: 'text-removed', alters: 'text-changed', untidy: 'text-same' };

  $effect(() => {
    const groups = detail.data?.groups ?? [];
    if (groups.length !== decisions.length)
      decisions = groups.map((group) => ({
        group_id: group.id,
        calendar_id: group.suggested_calendar ?? null,
        name: group.suggested_name,
        existing: 'newer',
        skip_elsewhere: group.all_here,
        drop_missing: false,
      }));
  });

  const outcome = query(() => ({
    queryKey: key('rehearse', id, $state.snapshot(decisions)),
    queryFn: () =>
      answer(
        client.POST('/api/imports/{file_id}/rehearse', {
          params,
          body: { decisions: $state.snapshot(decisions) },
        }),
      ),
    enabled: !busy && decisions.length > 0 && detail.data?.file.state === 'waiting',
    placeholderData: (previous) => previous,
  }));
  const where = $derived.by(() => {
    if (decisions.length !== 1) return `${decisions.length} calendars`;
    const only = decisions[0];
    const there = calendars.data?.find((calendar) => calendar.id === only?.calendar_id);
    return there ? `“${there.name}”` : `a new calendar “${only?.name}”`;
  });
  const doing = $derived(outcome.data ? outcome.data.creates + outcome.data.updates + outcome.data.deletes : 0);
  const label = $derived.by(() => {
    if (!outcome.data) return 'Counting…';
    const { creates, updates, deletes, skipped } = outcome.data;
    if (!doing) return `Nothing to import: all ${count(skipped)} exist already`;
    if (creates === doing) return `Import ${counted(creates, 'entry', 'entries')} into ${where}`;
    const said = [
      creates ? `add ${count(creates)}` : '',
      updates ? `change ${count(updates)}` : '',
      deletes ? `remove ${count(deletes)}` : '',
    ]
      .filter(Boolean)
      .join(', ');
    return `${said.charAt(0).toUpperCase()}${said.slice(1)} in ${where}`;
  });

  async function take(look: boolean): Promise<void> {
    busy = true;
    try {
      const { set_id } = await answer(
        client.POST('/api/imports/{file_id}/take', { params, body: { decisions: $state.snapshot(decisions) } }),
      );
      if (look) await goto(`/mend/${set_id}`);
      else {
        const done = await apply(set_id);
        const said = [
          [done.creates, 'added'],
          [done.updates, 'changed'],
          [done.deletes, 'gone'],
        ].map(([n, what], k) =>
          k ? `${count(Number(n))} ${what}` : `${counted(Number(n), 'entry', 'entries')} ${what}`,
        );
        await goto(`/look?filter=imported:${set_id}`);
        notices.did(`${said.join(', ')} as batch ${set_id}`);
        await refreshAll(queries);
      }
    } catch (error) {
      notices.wrong(error);
    } finally {
      busy = false;
    }
  }

  async function turnAway(): Promise<void> {
    try {
      await answer(client.DELETE('/api/imports/{file_id}', { params }));
      await goto('/connect');
      notices.say('Discarded. The file was removed.');
      await refreshAll(queries);
    } catch (error) {
      notices.wrong(error);
    }
  }

  function fetchProblems(offset: number, limit: number) {
    const asked = { path: { file_id: id }, query: { offset, limit } };
    return answer(client.GET('/api/imports/{file_id}/problems', { params: asked }));
  }
</script>

<svelte:head><title>{detail.data?.file.name ?? 'File'} · Date Bridge</title></svelte:head>

{#if detail.isError}
  <p class="text-removed p-6">{detail.error.message}</p>
{:else if detail.data}
  {@const file = detail.data.file}
  <div class="border-line border-b px-4 py-3">
    <h1 class="text-xl font-bold">{file.name}</h1>
    <p class="text-soft">
      {bytes(file.size)}, {file.encoding}. A one-time import; later changes to the file are not picked up.
      {file.state === 'waiting' ? 'Nothing has been imported yet.' : `It is ${file.state}.`}
    </p>
  </div>
  <Invitations file={id} />
  <div class="max-h-[46%] shrink-0 overflow-y-auto" role="region" aria-label="Contents of the file">
    {#each detail.data.groups as group, k (group.id)}
      {#if decisions[k]}<GroupChoice
          {group}
          calendars={calendars.data ?? []}
          bind:decision={decisions[k]}
          outcome={decisions.length === 1 ? outcome.data : undefined}
        />{/if}
    {/each}
  </div>
  <section class="flex min-h-0 flex-1 flex-col" aria-labelledby="problems-head">
    <div class="border-ink flex flex-wrap items-baseline gap-x-4 border-b px-4 py-1.5 text-[13px]">
      <h2 id="problems-head" class="font-bold">{counted(file.problems, 'problem', 'problems')}</h2>
      {#each detail.data.problem_counts.slice(0, KINDS) as problem (problem.code)}
        <span
          ><span class="figures {INK[problem.severity]}">{count(problem.count)}</span>
          {problem.title}</span
        >
      {/each}
      {#if others}<span class="text-soft"><span class="figures">{count(others)}</span> of other kinds</span>{/if}
    </div>
    <div class="flex min-h-0 flex-1 flex-col">
      <PagedList
        role="list"
        label="Problems by line"
        queryKey={['import-problems', id]}
        fetchPage={fetchProblems}
        rowHeight={30}
      >
        {#snippet row(problem, _index)}
          <div role="listitem" class="border-line flex h-full items-center gap-4 border-b px-4 text-[13px]">
            {#if problem}
              <span class="figures text-soft w-24 shrink-0 text-right"
                >{problem.line ? `line ${count(problem.line)}` : 'whole file'}</span
              >
              <strong class="w-14 shrink-0 {INK[problem.severity]}">{problem.severity}</strong>
              <span class="min-w-0 flex-1 truncate" title={problem.text || problem.message}>
                {problem.message}{#if problem.text}<span class="figures text-soft ml-2">{problem.text}</span>{/if}
              </span>
              <span class="text-soft w-[34%] shrink-0 truncate" title={problem.done}>{problem.done}</span>
            {/if}
          </div>
        {/snippet}
        {#snippet empty()}<p class="p-4">No problems in this file.</p>{/snippet}
      </PagedList>
    </div>
  </section>
  {#if file.state === 'waiting'}
    <Deck label="Import the file">
      {#if outcome.isError}<span class="text-removed">{outcome.error.message}</span>
      {:else if outcome.data}
        <span class="figures">
          <span class="text-added">+ {count(outcome.data.creates)} added</span> ·
          <span class="text-changed">≠ {count(outcome.data.updates)} changed</span> ·
          {#if outcome.data.deletes}<span class="text-removed">− {count(outcome.data.deletes)} gone</span> ·{/if}
          <span class="text-same">= {count(outcome.data.skipped)} skipped, exist already</span>
        </span>
      {:else}<span class="text-soft">Counting…</span>{/if}
      {#snippet actions()}
        <Action onclick={() => void turnAway()} disabled={busy}>Discard</Action>
        <Action onclick={() => void take(true)} disabled={busy || !doing}>Review each change first</Action>
        <Action kind="main" onclick={() => void take(false)} disabled={busy || !doing}>{label}</Action>
      {/snippet}
    </Deck>
  {/if}
{:else}
  <p class="text-soft p-6" role="status">Fetching…</p>
{/if}
