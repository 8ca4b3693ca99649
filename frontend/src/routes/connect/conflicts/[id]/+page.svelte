<script lang="ts">
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { useQueryClient } from '@tanstack/svelte-query';
  import { onMount } from 'svelte';
  import Action from '$lib/ui/Action.svelte';
  import Deck from '$lib/ui/Deck.svelte';
  import { answer, client, type Schemas } from '$lib/api/client';
  import { key, query, refreshAll } from '$lib/api/queries';
  import { attempt } from '$lib/state/attempt.svelte';
  import { keys } from '$lib/state/keys.svelte';
  import { notices } from '$lib/state/notice.svelte';
  import { count, counted } from '$lib/ui/words';

  /** One conflict in two banks: use theirs, use mine, or choose field by field. */
  const queries = useQueryClient();
  const params = $derived({ path: { push_id: Number(page.params.id) } });
  const conflict = query(() => ({
    queryKey: key('push', page.params.id),
    queryFn: () => answer(client.GET('/api/conflicts/{push_id}', { params })),
    retry: false,
  }));
  type Choice = Schemas['FieldOut']['proposed'];
  /** What was chosen otherwise than proposed. */
  let decided = $state<Record<string, Choice>>({});
  let raw = $state(false);
  const pairs = $derived(conflict.data?.pairs ?? []);
  const both = $derived(pairs.filter((pair) => pair.fields.length));
  const place = (recurrence: string, field: string) => `${recurrence}\n${field}`;
  const choice = (recurrence: string, field: Schemas['FieldOut']): Choice =>
    decided[place(recurrence, field.name)] ?? field.proposed;
  const chosen = (of: Choice) =>
    both.flatMap((pair) =>
      pair.fields.filter((field) => !field.bookkeeping && choice(pair.recurrence_id, field) === of),
    ).length;

  async function end(work: () => Promise<unknown>, says: string): Promise<void> {
    if (!(await attempt(work))) return;
    await goto('/connect/conflicts');
    notices.say(says);
    await refreshAll(queries);
  }

  const theirs = () =>
    end(
      () => answer(client.POST('/api/conflicts/{push_id}/theirs', { params })),
      'Their version is used; your change is not pushed. The logbook has both.',
    );
  const overwrite = () =>
    end(
      () => answer(client.POST('/api/conflicts/{push_id}/mine', { params })),
      'Your version is pending and will replace theirs.',
    );

  async function merge(): Promise<void> {
    const named = (of: Choice) =>
      Object.fromEntries(
        pairs.map((pair) => [
          pair.recurrence_id,
          pair.fields.filter((field) => choice(pair.recurrence_id, field) === of).map((field) => field.name),
        ]),
      );
    const body = { mine: named('mine'), both: named('both') };
    await end(
      () => answer(client.POST('/api/conflicts/{push_id}/merge', { params, body })),
      'Merged from both sides and pending.',
    );
  }

  /** The lines that both sides have: the rest of the entry, as it is written. */
  function alike(pair: { mine: string[]; theirs: string[] }): string[] {
    const there = new Set(pair.theirs);
    return pair.mine.filter((line) => there.has(line) && !/^(BEGIN|END|UID|DTSTAMP)[:;]/i.test(line));
  }

  onMount(() =>
    keys.offer([
      { key: 't', does: 'use theirs', aim: 'change', run: () => void theirs() },
      { key: 'm', does: 'use mine', aim: 'change', run: () => void overwrite() },
      { key: 'f', does: 'merge field by field, as chosen', aim: 'change', run: () => void (both.length && merge()) },
    ]),
  );
</script>

{#snippet value(label: string, said: string[], lines: string[])}
  <span class="min-w-0 break-words">
    {#each said as one, k (k)}<span class="block whitespace-pre-wrap">{one}</span>{:else}<em class="text-soft"
        >no {label.toLowerCase()} stated</em
      >{/each}
    {#if raw}{#each lines as line, k (k)}<span class="figures text-soft block text-[12px]">{line}</span>{/each}{/if}
  </span>
{/snippet}

{#snippet lines(some: string[])}
  <span class="figures min-w-0 flex-1 pl-5 text-[12px] break-words">
    {#each some as line, k (k)}<span class="block">{line}</span>{/each}
  </span>
{/snippet}

{#snippet radio(at: string, is: Choice, now: Choice)}
  <input type="radio" class="accent-brass" name={at} checked={now === is} onchange={() => (decided[at] = is)} />
{/snippet}

<svelte:head><title>Both sides · Date Bridge</title></svelte:head>

{#if conflict.isError}
  <p class="p-6">
    {conflict.error.message} <a class="text-brass underline" href="/connect/conflicts">Back to the list</a>
  </p>
{:else if conflict.data}
  {@const one = conflict.data.push}
  <div class="border-line border-b px-4 pt-3 pb-2">
    <p class="text-soft text-[13px]">{one.calendar} on {one.account} · batch {one.set_id}: {one.batch}</p>
    <h1 class="text-xl font-bold">{one.what} <span class="figures text-base font-normal">{one.when}</span></h1>
    <p>{one.message} Nothing is lost: both sides still have what they had.</p>
  </div>
  <div class="border-ink flex border-b px-4 py-1 text-[13px] font-bold">
    <span class="flex-1">Mine: here</span>
    <span class="w-40 text-center">differs in</span>
    <span class="flex-1 pl-4">Theirs: on {one.account}</span>
  </div>
  <div class="min-h-0 flex-1 overflow-y-auto" role="region" aria-label="Both sides" tabindex="-1" data-rest data-part>
    {#each pairs as pair (pair.recurrence_id)}
      {#if pairs.length > 1}<h2 class="text-soft bg-shade px-4 py-1 text-[13px]">{pair.title}</h2>{/if}
      {#if !pair.mine.length || !pair.theirs.length}
        <div class="border-line flex border-b px-4 py-2 text-[13px]">
          <pre class="figures min-w-0 flex-1 whitespace-pre-wrap">{pair.mine.join('\n') || 'Deleted here.'}</pre>
          <span class="w-40 text-center font-bold {pair.gone ? 'text-removed' : 'text-changed'}"
            >{pair.gone
              ? '− deleted on one side, unchanged on the other: it is deleted'
              : '≠ exists on one side only: it stays'}</span
          >
          <pre class="figures min-w-0 flex-1 pl-4 whitespace-pre-wrap">{pair.theirs.join('\n') ||
              'Deleted there.'}</pre>
        </div>
      {:else}
        {#each pair.fields.filter((one) => !one.bookkeeping) as field (field.name)}
          {@const at = place(pair.recurrence_id, field.name)}
          {@const now = choice(pair.recurrence_id, field)}
          <div class="border-line border-b px-4 text-[13px]" role="group" aria-label={field.label}>
            <div class="flex items-stretch">
              <label class="flex min-w-0 flex-1 gap-2 py-2 {now === 'mine' ? 'bg-picked' : ''}">
                {@render radio(at, 'mine', now)}
                {@render value(field.label, field.mine_in_words, field.mine)}
              </label>
              <span class="border-line text-changed mx-2 w-36 border-x py-2 text-center font-bold">≠ {field.label}</span
              >
              <label class="flex min-w-0 flex-1 gap-2 py-2 {now === 'theirs' ? 'bg-picked' : ''}">
                {@render radio(at, 'theirs', now)}
                {@render value(field.label, field.theirs_in_words, field.theirs)}
              </label>
            </div>
            {#if field.both_in_words}
              <label class="border-line flex gap-2 border-t py-2 {now === 'both' ? 'bg-picked' : ''}">
                {@render radio(at, 'both', now)}
                <span class="font-bold">Both, part by part:</span>
                {@render value(field.label, field.both_in_words, [])}
              </label>
            {/if}
          </div>
        {/each}
        {@const same = alike(pair)}
        {#if same.length}
          <div class="border-line text-soft flex border-b px-4 py-2 text-[13px]" role="group" aria-label="The same">
            {@render lines(same)}
            <span class="border-line mx-2 w-36 shrink-0 border-x text-center">= the same</span>
            {@render lines(same)}
          </div>
        {/if}
        {@const kept = pair.fields.filter((one) => one.bookkeeping)}
        {#if kept.length}
          <p class="text-soft px-4 py-2 text-[13px]">
            {kept.map((one) => one.label).join(', ')}: set automatically.
          </p>
        {/if}
      {/if}
    {/each}
    {#if both.length}
      <p class="px-4 py-2">
        <button class="text-brass underline" aria-expanded={raw} onclick={() => (raw = !raw)}
          >{raw ? 'Hide the lines as they are written' : 'Show the lines as they are written'}</button
        >
      </p>
    {/if}
  </div>
  <Deck label="Decide">
    {both.length
      ? `${counted(chosen('mine'), 'field', 'fields')} of mine${chosen('both') ? `, ${count(chosen('both'))} of both` : ''} chosen, the rest as it is there.`
      : one.message}
    {#snippet actions()}
      <Action href="/connect/conflicts">Later</Action>
      <Action onclick={() => void theirs()} key="t">Use theirs</Action>
      <Action onclick={() => void overwrite()} key="m">Use mine, overwrite theirs</Action>
      {#if both.length}
        <Action kind="main" onclick={() => void merge()} key="f">Merge field by field</Action>
      {/if}
    {/snippet}
  </Deck>
{:else}
  <p class="text-soft p-6" role="status">Fetching…</p>
{/if}
