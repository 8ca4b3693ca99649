<script lang="ts">
  import Input from '$lib/ui/Input.svelte';
  import type { Calendar, Schemas } from '$lib/api/client';
  import { count, counted } from '$lib/ui/words';

  /** What is in a file on the left bank, where it goes on the right. */
  type Props = {
    group: Schemas['GroupOut'];
    calendars: Calendar[];
    decision: Schemas['DecisionIn'];
    outcome?: Schemas['ImportOutcome'];
  };
  let { group, calendars, decision = $bindable(), outcome }: Props = $props();

  type Zone = { tzid: string; zone: string; method: string; events: number };
  const summary = $derived(
    group.summary as Record<string, number> & {
      zones: Zone[];
      features: Record<string, number>;
      unknown_properties: Record<string, number>;
      first: string | null;
      last: string | null;
    },
  );
  const parts = $derived(
    [
      { n: summary.events, one: 'event', many: 'events' },
      { n: summary.series, one: 'of them a series', many: 'of them series' },
      { n: summary.overrides, one: 'a changed occurrence', many: 'changed occurrences' },
      { n: summary.todos, one: 'to-do', many: 'to-dos' },
      { n: summary.journals, one: 'journal entry', many: 'journal entries' },
      { n: summary.others, one: 'other component', many: 'other components' },
    ]
      .filter((part) => part.n)
      .map((part) => counted(part.n ?? 0, part.one, part.many)),
  );
  const METHOD: Record<string, string> = {
    iana: '',
    cldr: 'by its CLDR alias',
    path: 'by the end of its path',
    unresolved: '',
  };
  const RULES = [
    { value: 'newer', name: 'import it if it is newer' },
    { value: 'keep', name: 'keep the existing entry' },
    { value: 'replace', name: 'replace the existing entry' },
  ] as const;
  const target = $derived(decision.calendar_id === null ? 'fresh' : String(decision.calendar_id));

  function aim(value: string): void {
    decision = { ...decision, calendar_id: value === 'fresh' ? null : Number(value) };
  }
</script>

<div class="border-line flex border-b max-[900px]:flex-col" role="group" aria-label={group.name}>
  <section class="min-w-0 flex-1 px-4 py-3" aria-label="In the file">
    <h2 class="mb-1 font-bold">In the file: {group.name}</h2>
    <p>{parts.join(' · ') || 'nothing'}</p>
    <p class="mb-2">
      {summary.first ? `${summary.first} to ${summary.last}` : 'No dates'}{summary.unplaced
        ? `; ${counted(summary.unplaced, 'entry has', 'entries have')} no date`
        : ''}
    </p>
    <div class="flex flex-wrap gap-x-8 gap-y-2 text-[13px]">
      <dl class="ruled w-56">
        <dt class="text-soft">Features used</dt>
        {#each Object.entries(summary.features) as [name, n] (name)}
          <dd class="flex justify-between py-0.5"><span>{name}</span><span class="figures">{count(n)}</span></dd>
        {/each}
        {#each Object.entries(summary.unknown_properties).slice(0, 4) as [name, n] (name)}
          <dd class="text-soft flex justify-between py-0.5 text-[12px]">
            <span>{name}</span><span class="figures">{count(n)}</span>
          </dd>
        {/each}
        {#if !Object.keys(summary.features).length && !Object.keys(summary.unknown_properties).length}<dd>
            nothing
          </dd>{/if}
      </dl>
      <dl class="ruled min-w-0 flex-1">
        <dt class="text-soft">Time zones</dt>
        {#each summary.zones as zone (zone.tzid)}
          <dd class="flex justify-between gap-3 py-0.5">
            <span class="min-w-0 break-all">
              {zone.tzid}{#if zone.method === 'defined'}{' '}<span class="text-soft">as the file defines it</span
                >{:else if !zone.zone}{' '}<strong class="text-removed">unknown zone</strong
                >{:else if zone.zone !== zone.tzid}{' '}<span class="text-soft">
                  = {zone.zone} {METHOD[zone.method]}</span
                >{/if}
            </span>
            <span class="figures">{count(zone.events)}</span>
          </dd>
        {:else}
          <dd>none</dd>
        {/each}
      </dl>
    </div>
  </section>
  <div
    class="border-line text-soft flex w-10 items-center max-[900px]:hidden justify-center border-x text-lg"
    aria-hidden="true"
  >
    →
  </div>
  <section class="min-w-0 flex-1 px-4 py-3" aria-label="Import into">
    <h2 class="mb-2 font-bold">Import into</h2>
    <label class="mb-2 flex items-center gap-2">
      <span class="w-24">Calendar</span>
      <select
        value={target}
        onchange={(event) => aim(event.currentTarget.value)}
        aria-label="Calendar"
        class="field min-w-0 flex-1"
      >
        <option value="fresh">A new calendar</option>
        {#each calendars.filter((one) => one.writable) as calendar (calendar.id)}
          <option value={String(calendar.id)}>{calendar.label} ({calendar.state})</option>
        {/each}
      </select>
    </label>
    {#if decision.calendar_id === null}
      <label class="mb-2 flex items-center gap-2">
        <span class="w-24">Name</span>
        <Input bind:value={decision.name} class="min-w-0 flex-1" />
      </label>
    {:else}
      <fieldset class="mb-2">
        <legend class="text-soft">If an entry exists already and differs</legend>
        {#each RULES as rule (rule.value)}
          <label class="flex gap-2"
            ><input
              type="radio"
              name="existing-{group.id}"
              class="accent-brass"
              bind:group={decision.existing}
              value={rule.value}
            />{rule.name}</label
          >
        {/each}
      </fieldset>
      {#if outcome?.missing}
        <label class="border-changed mb-2 flex gap-2 border-l-4 pl-2"
          ><input type="checkbox" class="accent-brass mt-1 self-start" bind:checked={decision.drop_missing} />
          <span
            >{counted(outcome.missing, 'entry', 'entries')} that came from a file before {outcome.missing === 1
              ? 'is'
              : 'are'} not in this one any more: {outcome.missed
              .map((title) => `“${title || 'no title'}”`)
              .join(', ')}{outcome.missing > outcome.missed.length ? ', …' : ''}. Remove {outcome.missing === 1
              ? 'it'
              : 'them'} as well.</span
          ></label
        >
      {/if}
    {/if}
    {#if group.here.length}
      <table class="w-full text-left text-[13px]">
        <caption class="text-soft text-left">Already here, by UID</caption>
        <thead>
          <tr>
            <th class="font-medium">in</th>
            {#each ['identical', 'newer in file', 'older in file', 'different'] as head (head)}
              <th class="text-right font-medium">{head}</th>
            {/each}
          </tr>
        </thead>
        <tbody class="figures">
          {#each group.here as row (row.calendar_id)}
            <tr>
              <td>{row.calendar}</td>
              {#each [row.identical, row.newer, row.older, row.different] as n, k (k)}<td class="text-right"
                  >{count(n)}</td
                >{/each}
            </tr>
          {/each}
        </tbody>
      </table>
      <label class="mt-2 flex gap-2"
        ><input type="checkbox" class="accent-brass" bind:checked={decision.skip_elsewhere} />Skip entries that exist,
        identical, in any calendar</label
      >
    {:else}
      <p class="text-soft">None of these entries exists here yet.</p>
    {/if}
  </section>
</div>
