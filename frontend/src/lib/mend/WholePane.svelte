<script lang="ts">
  import { key, query } from '$lib/api/queries';
  import Action from '$lib/ui/Action.svelte';
  import Change from '$lib/look/Change.svelte';
  import type { Step } from '$lib/look/steps';
  import { answer, client, type Calendar, type Schemas } from '$lib/api/client';
  import { count, counted } from '$lib/ui/words';

  /** What shows only of calendars as wholes: what they do not say, copies, spellings, properties nobody knows. */
  const { calendars }: { calendars: Map<number, Calendar> } = $props();
  const whole = query(() => ({
    queryKey: key('checks', 'calendars'),
    queryFn: () => answer(client.GET('/api/checks/calendars')),
  }));
  let changing = $state<{ filter: string; chosen: number; steps: Step[] } | null>(null);
  const quote = (value: string) => (/[\s,:]|^-/.test(value) ? `"${value}"` : value);
  const named = (id: number) => calendars.get(id)?.label ?? '…';

  function unite(group: Schemas['SpellingOut'][]): void {
    const [first, ...rest] = group;
    if (!first) return;
    changing = {
      filter: `category:${rest.map((one) => quote(one.value)).join(',')}`,
      chosen: rest.reduce((sum, one) => sum + one.count, 0),
      steps: rest.map((one) => {
        const find = `^${one.value.replace(/[.*+?^${}()|[\]\\]/g, '\\$&')}$`;
        return { do: 'replace', field: 'category', find, by: first.value, pattern: true, cases: true };
      }),
    };
  }
</script>

<div class="min-h-0 flex-1 overflow-y-auto px-4 py-2">
  {#if whole.isError}<p class="text-removed">{whole.error.message}</p>{/if}
  {#if whole.data}
    <h2 class="mt-1 font-bold">Calendars without a name, colour or zone</h2>
    {#if !whole.data.lacking.length}<p class="text-soft py-1">All have a name, a colour and a zone.</p>{/if}
    <ul class="ruled">
      {#each whole.data.lacking as one (one.calendar_id)}
        <li class="flex items-center gap-3 py-1">
          <span class="min-w-0 flex-1 truncate">{named(one.calendar_id)}</span>
          <span class="text-soft">no {one.lacks.join(', no ')}</span>
          <Action href="/connect/calendar/{one.calendar_id}" named="Set properties: {named(one.calendar_id)}"
            >Set properties</Action
          >
        </li>
      {/each}
    </ul>
    <h2 class="mt-5 font-bold">Copies of one calendar</h2>
    {#if !whole.data.copies.length}<p class="text-soft py-1">No two calendars share most of their entries.</p>{/if}
    <ul class="ruled">
      {#each whole.data.copies as one (`${one.left} ${one.right}`)}
        <li class="flex items-center gap-3 py-1">
          <span class="min-w-0 flex-1 truncate">{named(one.left)} · {named(one.right)}</span>
          <span class="text-soft figures">{count(one.same)} of {count(one.of)} the same</span>
          <Action
            href="/look/sides?left={one.left}&right={one.right}"
            named="Compare {named(one.left)} and {named(one.right)}">Compare</Action
          >
        </li>
      {/each}
    </ul>
    <h2 class="mt-5 font-bold">Categories spelt differently</h2>
    {#if !whole.data.spellings.length}<p class="text-soft py-1">Every category has one spelling.</p>{/if}
    <ul class="ruled">
      {#each whole.data.spellings as group (group.map((one) => one.value).join('\n'))}
        <li class="flex items-center gap-3 py-1">
          <span class="min-w-0 flex-1 truncate"
            >{group.map((one) => `“${one.value}” ${count(one.count)}`).join(' · ')}</span
          >
          <Action onclick={() => unite(group)}>Change all to “{group[0]?.value}”…</Action>
        </li>
      {/each}
    </ul>
    <h2 class="mt-5 font-bold">Non-standard properties</h2>
    {#if whole.data.more_unknown}
      <p class="text-soft py-1">From the newest 20,000 entries that have any; there are more.</p>
    {/if}
    {#if !whole.data.unknown.length}<p class="text-soft py-1">None.</p>{/if}
    <ul class="ruled">
      {#each whole.data.unknown as one (one.name)}
        <li class="flex items-center gap-3 py-1">
          <span class="figures w-72 truncate">{one.name}</span>
          <span class="text-soft min-w-0 flex-1 truncate" title={one.sample}>such as “{one.sample}”</span>
          <span class="figures">{counted(one.entries, 'entry', 'entries')}</span>
          <Action
            onclick={() =>
              (changing = {
                filter: 'has:unknown',
                chosen: one.entries,
                steps: [{ do: 'strip', part: 'unknown', names: [one.name] }],
              })}
            named="Remove {one.name}">Remove…</Action
          >
        </li>
      {/each}
    </ul>
  {:else if !whole.isError}<p class="text-soft py-2" role="status">Searching…</p>{/if}
</div>

{#if changing}
  <Change
    selection={{ filter: changing.filter, excluded: [], only: null }}
    chosen={changing.chosen}
    steps={changing.steps}
    onclose={() => (changing = null)}
  />
{/if}
