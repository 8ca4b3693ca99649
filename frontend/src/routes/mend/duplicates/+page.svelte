<script lang="ts">
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { useQueryClient } from '@tanstack/svelte-query';
  import { onMount, untrack } from 'svelte';
  import Action from '$lib/ui/Action.svelte';
  import Deck from '$lib/ui/Deck.svelte';
  import JobLine from '$lib/ui/JobLine.svelte';
  import PagedList from '$lib/ui/PagedList.svelte';
  import JoinedNote from '$lib/mend/JoinedNote.svelte';
  import GroupBanks from '$lib/mend/GroupBanks.svelte';
  import GroupRow from '$lib/mend/GroupRow.svelte';
  import KeepOrder from '$lib/mend/KeepOrder.svelte';
  import RuledApart from '$lib/mend/RuledApart.svelte';
  import MendNav from '$lib/mend/MendNav.svelte';
  import { criteria, nameOf, places } from '$lib/mend/policy';
  import { answer, client, type Job, type Schemas } from '$lib/api/client';
  import { calendarsQuery, key, query, refreshAll } from '$lib/api/queries';
  import { keepInAddress } from '$lib/state/address';
  import { attempt, begin } from '$lib/state/attempt.svelte';
  import { keys } from '$lib/state/keys.svelte';
  import { notices } from '$lib/state/notice.svelte';
  import { didIt } from '$lib/state/undo';
  import { choice, number, text, view, type Changes } from '$lib/state/view';
  import { count, counted } from '$lib/ui/words';

  /** Entries that are the same meeting, group by group: one stays, the others go; or all of a kind at once. */
  type Row = Schemas['GroupRow'];
  const SURE = [0.5, 0.7, 0.8, 0.9, 0.95, 0.99] as const;
  const queries = useQueryClient();
  const calendars = calendarsQuery();
  const byId = $derived(new Map((calendars.data ?? []).map((one) => [one.id, one])));
  const shape = {
    kind: text,
    least: choice(
      SURE.map((one) => String(one)),
      '0.5',
    ),
    group: number(0),
    keep: text,
    first: text,
  };
  const address = view('/mend/duplicates', shape);
  const asked = $derived(address.read(page.url.searchParams));
  const least = $derived(Number(asked.least));
  const kind = $derived((asked.kind || null) as Schemas['Alike'] | null);
  const policy = $derived(criteria(asked.keep));
  const wanted = $derived({ policy, order: places(asked.first) });
  let ordering = $state(false);

  function change(changes: Changes<typeof shape>): void {
    const url = address.address(page.url.searchParams, changes);
    void keepInAddress(url);
  }

  const found = query(() => ({
    queryKey: key('duplicates', least),
    queryFn: () => answer(client.GET('/api/duplicates', { params: { query: { least } } })),
  }));
  const kinds = $derived(found.data?.kinds ?? []);
  const chosen = $derived(kinds.find((one) => one.kind === kind));
  const many = $derived(chosen?.groups ?? kinds.reduce((sum, one) => sum + one.groups, 0));
  const askFor = (id: number) => ({
    queryKey: key('duplicate-group', id, wanted, keep),
    queryFn: () =>
      answer(
        client.POST('/api/duplicates/groups/{group_id}', {
          params: { path: { group_id: id } },
          body: { ...wanted, keep },
        }),
      ),
    retry: false,
  });
  /** The entry that stays in the group that is open, where a person chose another than proposed. */
  let keep = $state<number | null>(null);
  const group = query(() => ({
    ...askFor(asked.group),
    enabled: asked.group > 0,
    placeholderData: (previous?: Schemas['DuplicateOut'] | null) =>
      previous?.id === asked.group ? previous : undefined,
  }));
  const goes = $derived(group.data?.members.filter((one) => one.fate === 'goes').length ?? 0);

  let list: ReturnType<typeof PagedList<Row>> | undefined = $state();
  let total = $state(0);
  let index = $state(0);
  let making = $state<number | null>(null);

  function open(id: number, at: number): void {
    if (id !== asked.group) keep = null;
    index = at;
    if (id !== asked.group) change({ group: String(id) });
    const next = list?.rowAt(at + 1);
    if (next) void queries.prefetchQuery(askFor(next.id));
  }

  // Whoever comes finds the first group open.
  $effect(() => {
    const first = total > 0 ? list?.rowAt(0) : undefined;
    if (first && !asked.group) untrack(() => open(first.id, 0));
  });

  /** Whether one goes on to the next of the list, of which the rows are still on their way. */
  let going = false;
  /** On to the next of the list; what is done with this one goes on behind. */
  async function next(): Promise<void> {
    if (going) return;
    going = true;
    for (let times = 0; times < 3 && total && !list?.rowAt(index); times++) await list?.arrived();
    going = false;
    if (!list) return; // the page was left meanwhile
    const after = list.rowAt(index + 1) ?? list.rowAt(index - 1);
    if (!after) return change({ group: '' });
    open(after.id, list?.rowAt(index + 1) ? index + 1 : index - 1);
    list?.reveal(index);
  }

  /** While a proposal of all of them is being made, none of them is decided. */
  function held(): boolean {
    if (making !== null)
      notices.say('A proposal is being prepared from these groups. Stop it, or wait until it is ready.');
    return making !== null;
  }

  /** The group to decide: only one that is shown as it is now. */
  function shown(): Schemas['DuplicateOut'] | null {
    if (going || held()) return null;
    if (group.data && !group.isPlaceholderData) return group.data;
    notices.say(asked.group ? 'This group is still loading. Decide when it is shown.' : 'No group is open.');
    return null;
  }

  async function accept(): Promise<void> {
    const one = shown();
    if (!one) return;
    if (!goes)
      return notices.say('Nothing in this group can be removed. Skip it, or mark the entries as different.', 'wrong');
    const params = { path: { group_id: one.id } };
    const body = { ...wanted, keep };
    await next();
    await attempt(async () => {
      const done = await answer(client.POST('/api/duplicates/groups/{group_id}/accept', { params, body }));
      didIt(done.set_id, done.title);
      notices.did(done.title);
      index = Math.max(0, index - 1);
    });
    await refreshAll(queries);
  }

  async function apart(): Promise<void> {
    const one = shown();
    if (!one) return;
    await next();
    await attempt(async () => {
      await answer(client.POST('/api/duplicates/groups/{group_id}/apart', { params: { path: { group_id: one.id } } }));
      notices.say('Remembered as different. They are not shown again.');
      index = Math.max(0, index - 1);
    });
    await refreshAll(queries);
  }

  /** The next of those that may stay instead. */
  function other(): void {
    const choice = group.data?.choices[0];
    if (choice === undefined) notices.say('This entry contains the others, so it stays.');
    else keep = choice;
  }

  async function all(): Promise<void> {
    if (held()) return;
    await begin(async () => {
      const body = { ...wanted, kind, least };
      making = (await answer(client.POST('/api/duplicates/proposals', { body }))).job_id;
    });
  }

  async function made(job: Job): Promise<void> {
    making = null;
    const set = (job.result as { set_id?: number } | null)?.set_id;
    if (job.state === 'done' && set) await goto(`/mend/${set}`);
    else notices.say(job.message, 'wrong');
  }

  const look = () => attempt(() => answer(client.POST('/api/duplicates/recompute')));
  // Looked for again, the groups are others.
  let of = -1;
  $effect(() => {
    const asOf = found.data?.as_of ?? -1;
    if (asOf === of) return;
    untrack(() => {
      index = 0;
      if (of >= 0) change({ group: '' });
      of = asOf;
    });
  });
  // Whoever comes sees what there is now; while somebody works through the list, it is not rebuilt.
  let asking = false;
  $effect(() => {
    const { outdated, job } = found.data ?? { outdated: false, job: null };
    if (found.data && !asking) {
      asking = true;
      if (outdated && !job) untrack(() => void look());
    }
  });

  onMount(() =>
    keys.offer([
      { key: '↑ ↓', does: 'from group to group', aim: 'find' },
      { key: 'a', does: 'keep one entry, as shown', aim: 'change', run: () => void accept() },
      { key: 's', does: 'skip it', aim: 'find', run: () => void next() },
      { key: 'o', does: 'keep the other entry', aim: 'change', run: other },
      { key: 'n', does: 'not duplicates: remember this', aim: 'change', run: () => void apart() },
      { key: 'k', does: 'set the order of preference', aim: 'change', run: () => (ordering = true) },
      { key: 'b', does: 'propose removing all duplicates of this kind', aim: 'change', run: () => void all() },
    ]),
  );
</script>

<svelte:head><title>Duplicates · Date Bridge</title></svelte:head>
<h1 class="visually-hidden">Mend: duplicates</h1>
<MendNav>
  <span class="figures" role="status">{counted(many, 'group', 'groups')}</span>
  <Action onclick={() => void look()} disabled={Boolean(found.data?.job)}>Search again</Action>
</MendNav>

<div class="border-line flex flex-wrap items-center gap-x-3 gap-y-1 border-b px-4 pb-2 text-[13px]">
  <div class="flex flex-wrap items-center gap-1" role="toolbar" aria-label="Kinds">
    {#each [null, ...kinds] as one (one?.kind ?? '')}
      {@const pressed = (one?.kind ?? null) === kind}
      <button
        aria-pressed={pressed}
        title={one?.says ?? 'groups of every kind'}
        class="rounded-[2px] px-1.5 py-0.5 {pressed ? 'bg-ink text-paper' : 'hover:bg-shade border-line border'}"
        onclick={() => change({ kind: one?.kind ?? '', group: '' })}
        >{one?.title ?? 'All'}
        <span class="figures">{count(one?.groups ?? kinds.reduce((sum, own) => sum + own.groups, 0))}</span></button
      >
    {/each}
  </div>
  <div class="ml-auto flex flex-wrap items-center gap-3">
    <label class="flex items-center gap-1"
      >confidence
      <select
        class="field-small"
        value={asked.least}
        onchange={(event) => change({ least: event.currentTarget.value, group: '' })}
      >
        {#each SURE as one (one)}<option value={String(one)}>{one.toFixed(2)}</option>{/each}
      </select>
    </label>
    <Action onclick={() => (ordering = true)} key="k" hint="Set the rules and the order of calendars"
      >Keep {nameOf(policy[0] ?? 'writable')}…</Action
    >
  </div>
</div>
{#if found.data?.job}
  <div class="border-line border-b px-4 py-2"><JobLine behind id={found.data.job} onended={() => undefined} /></div>
{/if}
{#if making !== null}
  <div class="border-line border-b px-4 py-2"><JobLine id={making} onended={(job) => void made(job)} /></div>
{/if}

<div class="flex min-h-0 flex-1 max-[1050px]:flex-col">
  <div
    class="border-ink flex w-[380px] shrink-0 flex-col border-r max-[1050px]:max-h-40 max-[1050px]:w-full max-[1050px]:border-r-0 max-[1050px]:border-b"
    data-part
  >
    <PagedList
      role="list"
      label="Groups"
      bind:this={list}
      bind:total
      queryKey={['duplicate-groups', kind, least, found.data?.as_of]}
      fetchPage={(offset, limit) =>
        answer(
          client.GET('/api/duplicates/groups', {
            params: { query: { ...(kind ? { kind } : {}), least, offset, limit } },
          }),
        )}
      rowHeight={44}
    >
      {#snippet row(one, at)}
        <GroupRow group={one} calendars={byId} open={one?.id === asked.group} onopen={() => one && open(one.id, at)} />
      {/snippet}
      {#snippet empty()}
        <div class="p-4 text-[13px]">
          {#if found.data && !found.data.job && found.data.as_of >= 0}
            <p class="mb-2 text-base">No duplicates{least > 0.5 || kind ? ' of this kind that are so sure' : ''}.</p>
            <p class="text-soft">Every entry was compared with all candidates.</p>
          {:else}
            <p class="text-soft">Searching…</p>
          {/if}
        </div>
      {/snippet}
    </PagedList>
    <RuledApart />
  </div>
  <!-- svelte-ignore a11y_no_noninteractive_tabindex (what scrolls has to be reached by keys) -->
  <div class="min-w-0 flex-1 overflow-auto" role="region" aria-label="The group in banks" tabindex="0" data-part>
    {#if group.isError}
      <p class="p-4">{group.error.message}</p>
    {:else if group.data}
      <div class="border-line border-b px-3 py-2 text-[13px]">
        <p class="text-base font-bold">
          {group.data.members[0]?.entry.what}
          <span class="figures text-soft ml-2 text-[13px] font-normal">{group.data.score.toFixed(2)}</span>
          <span class="text-soft text-[13px] font-normal">· {group.data.title}</span>
        </p>
        <p>{group.data.reasons.join('; ')}.</p>
      </div>
      <GroupBanks group={group.data} calendars={byId} />
      <JoinedNote group={group.data} />
    {:else if asked.group && group.data === null}
      <p class="text-soft p-4">This group has changed. Choose another one.</p>
    {:else if asked.group}
      <p class="text-soft p-4" role="status">Fetching…</p>
    {/if}
  </div>
</div>

{#if group.data}
  <Deck label="This group">
    <span
      ><strong>{group.data.members[0]?.entry.what}</strong> in {byId.get(group.data.members[0]?.calendar_id ?? 0)
        ?.label}
      stays: {group.data.why}.</span
    >
    {#if group.data.lost_count}<span class="text-removed ml-2"
        >{counted(group.data.lost_count, 'thing', 'things')} they say {group.data.lost_count === 1 ? 'goes' : 'go'} with them.</span
      >{/if}
    {#if group.data.fewer_count}<span class="text-removed ml-2"
        >{counted(group.data.fewer_count, 'time', 'times')} {group.data.fewer_count === 1 ? 'goes' : 'go'}.</span
      >{/if}
    {#snippet actions()}
      <Action onclick={next} key="s">Skip</Action>
      <Action onclick={() => void apart()} key="n">Not the same</Action>
      <Action onclick={other} key="o">Keep the other</Action>
      <Action onclick={() => void all()} key="b">All {count(many)} of this kind…</Action>
      <Action kind="main" onclick={() => void accept()} disabled={!goes} key="a"
        >{goes ? `Keep this, remove ${count(goes)}` : 'Nothing to remove'}</Action
      >
    {/snippet}
  </Deck>
{/if}

{#if ordering}
  <KeepOrder
    {policy}
    first={wanted.order}
    calendars={calendars.data ?? []}
    onchoose={(keep, first) => change({ keep: keep.join(), first: first.join() })}
    onclose={() => (ordering = false)}
  />
{/if}
