<script lang="ts">
  import { key, query, refresh } from '$lib/api/queries';
  import { useQueryClient } from '@tanstack/svelte-query';
  import { onMount } from 'svelte';
  import { toRest } from '$lib/state/focus';
  import Action from '$lib/ui/Action.svelte';
  import { answer, client } from '$lib/api/client';
  import { attempt } from '$lib/state/attempt.svelte';
  import { looking } from '$lib/state/looking.svelte';

  /** The days that are picked: by a rule in words, by clicking in a month or year, or kept under a name. */
  type Props = { picked: string[]; onpick: (days: string[]) => void };
  const { picked, onpick }: Props = $props();

  const queries = useQueryClient();
  let text = $state('');
  let wrong = $state('');
  let name = $state('');
  let input: HTMLInputElement | undefined;
  const kept = query(() => ({
    queryKey: key('kept', 'days'),
    queryFn: () => answer(client.GET('/api/preferences/{kind}', { params: { path: { kind: 'days' } } })),
  }));

  onMount(() => input?.focus());
  export function focus(): void {
    input?.focus();
    input?.select();
  }

  /** As if it had been typed. */
  export function say(phrase: string): void {
    text = phrase;
    void read();
  }

  async function read(): Promise<void> {
    try {
      const query = { text, zone: looking.zone };
      const found = await answer(client.GET('/api/phrases/days', { params: { query } }));
      wrong = '';
      name = text;
      onpick(found.map((one) => one.day));
      toRest();
    } catch (error) {
      wrong = error instanceof Error ? error.message : String(error);
    }
  }

  async function keep(): Promise<void> {
    await attempt(async () => {
      const params = { path: { kind: 'days' as const, name: name.trim() } };
      await answer(
        client.PUT('/api/preferences/{kind}/{name}', { params, body: { value: { days: picked, rule: text } } }),
      );
      await refresh(queries, 'kept');
    });
  }

  async function show(wanted: string): Promise<void> {
    const one = kept.data?.find((set) => set.name === wanted);
    if (!one) return;
    text = (one.value.rule as string) ?? '';
    name = one.name;
    if (text) await read();
    else onpick(one.value.days as string[]);
  }
</script>

<div
  class="border-line flex flex-wrap items-center gap-2 border-b px-4 py-1.5 text-[13px]"
  role="group"
  aria-label="Picked days"
>
  <form
    class="flex items-center gap-2"
    onsubmit={(event) => {
      event.preventDefault();
      void read();
    }}
  >
    <label class="flex items-center gap-2"
      >Pick
      <input
        bind:this={input}
        bind:value={text}
        class="field-small w-[300px]"
        placeholder="Mondays of this quarter; last Fridays of the next six months"
        aria-label="Days in words"
      /></label
    >
    <Action submit>Show them</Action>
  </form>
  {#if kept.data?.length}
    <select
      class="field-small"
      aria-label="Saved days"
      value=""
      onchange={(event) => void show(event.currentTarget.value)}
    >
      <option value="" disabled>saved days…</option>
      {#each kept.data as one (one.name)}<option>{one.name}</option>{/each}
    </select>
  {/if}
  {#if picked.length}
    <input class="field-small w-44" placeholder="a name" aria-label="Name for these days" bind:value={name} />
    <button class="text-brass underline disabled:opacity-50" disabled={!name.trim()} onclick={() => void keep()}
      >keep these {picked.length} days</button
    >
    <button class="text-brass underline" onclick={() => onpick([])}>none</button>
  {/if}
  {#if wrong}<span class="text-removed w-full" role="alert">{wrong}</span>{/if}
</div>
