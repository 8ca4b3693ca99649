<script lang="ts">
  import { goto } from '$app/navigation';
  import { useQueryClient } from '@tanstack/svelte-query';
  import Action from '$lib/ui/Action.svelte';
  import JobLine from '$lib/ui/JobLine.svelte';
  import Change from '$lib/look/Change.svelte';
  import YearLine from '$lib/mend/YearLine.svelte';
  import ZoneChoice from '$lib/ui/ZoneChoice.svelte';
  import { answer, client, type Schemas } from '$lib/api/client';
  import { key, query, refresh, refreshAll } from '$lib/api/queries';
  import { begin } from '$lib/state/attempt.svelte';
  import { notices } from '$lib/state/notice.svelte';
  import type { Step } from '$lib/look/steps';
  import { count, counted } from '$lib/ui/words';

  /** A zone name: what it means and why, a ruling on it, and the ways to mend what uses it. */
  const { name }: { name: Schemas['NameOut'] } = $props();
  const queries = useQueryClient();
  let zone = $state('');
  let where = $state(0);
  let job = $state<number | null>(null);
  let steps = $state<Step[] | null>(null);
  const proposed = $derived(name.zone || name.candidates[0]?.zones[0] || '');
  const chosen = $derived(zone || proposed);
  const readings = query(() => ({
    queryKey: key('zone-readings', name.tzid),
    queryFn: () => answer(client.GET('/api/zone-names/readings', { params: { query: { tzid: name.tzid } } })),
    enabled: !!name.contradicts,
  }));
  const selection = $derived<Schemas['SelectionIn']>({
    filter: where
      ? `${name.filter} calendar:"${name.uses.find((use) => use.calendar_id === where)?.name}"`
      : name.filter,
    excluded: [],
    only: null,
  });
  const METHODS: Record<string, string> = {
    iana: 'by its name',
    link: 'by its name',
    cldr: 'by an alias',
    path: 'by its path',
    offset: 'by its offset',
    display: 'by its city',
    definition: 'by its definition',
    fixed: 'by its definition',
    abbreviation: 'between several',
    hint: 'by a hint only',
    ruling: 'decided',
    unresolved: 'not known',
    floating: 'no zone',
  };

  export async function decide(verdict = chosen): Promise<void> {
    if (!name.tzid) return mend('clock');
    if (!verdict) return notices.say('Choose the zone to use first.', 'wrong');
    await begin(async () => {
      const body = { tzid: name.tzid, zone: verdict, calendar_id: where || null };
      job = (await answer(client.POST('/api/zone-names/rulings', { body }))).job_id;
    });
  }

  async function ruled(): Promise<void> {
    job = null;
    notices.say(`“${name.tzid}” is read by the ruling, also in what comes later.`);
    await refresh(queries, 'zone-names');
    await refreshAll(queries);
  }

  /** The ways to mend, each as a change in bulk that is looked at first. */
  export function mend(way: 'clock' | 'instant' | 'misread' | 'float' | 'days' | 'shift'): void {
    const of = name.tzid;
    const target = chosen || 'UTC';
    if (way === 'misread') steps = [{ do: 'misread', zone: target, was: name.named || target, of, otherwise: 'leave' }];
    else if (way === 'shift') steps = [{ do: 'shift', days: 0, minutes: 60 }];
    else if (way === 'days') steps = [{ do: 'days-again', zone: target, of }];
    else if (way === 'float') steps = [{ do: 'clock', zone: '', keep: 'clock', of, otherwise: 'leave' }];
    else steps = [{ do: 'clock', zone: target, keep: way, of, otherwise: 'leave' }];
  }
  const there = $derived(chosen || 'another zone');
  const ways = $derived(
    (
      [
        {
          way: 'clock',
          key: 'p',
          does: name.tzid
            ? `Keep the clock time, change the zone to ${there}`
            : `Assign a zone: the same clock time in ${there}`,
        },
        { way: 'instant', key: '', does: `Keep the moment, show it in ${there}` },
        { way: 'misread', key: '', does: 'Correct a misread zone (shift by the difference of two zones)' },
        { way: 'shift', key: '', does: 'Shift by a fixed duration' },
        { way: 'float', key: '', does: 'Remove the zone (floating times)' },
        { way: 'days', key: '', does: `Restore all-day events that became timed (days in ${there})` },
      ] as const
    ).filter((one) => name.tzid || ['clock', 'shift', 'days'].includes(one.way)),
  );
  const many = $derived(where ? (name.uses.find((use) => use.calendar_id === where)?.entries ?? 0) : name.entries);
</script>

<div class="min-h-0 flex-1 overflow-y-auto px-4 py-2">
  <p class="text-soft text-[13px]">
    {METHODS[name.method] ?? name.method}{name.sure && name.tzid ? ` · ${name.sure} % sure` : ''} · in use {name.years}
    {#if name.others}· <strong class="text-changed"
        >{counted(name.others, 'other meaning', 'other meanings')} elsewhere</strong
      >{/if}
  </p>
  <h2 class="text-lg leading-6 font-bold break-words">
    {name.tzid || 'Floating times'}{name.zone && name.zone !== name.tzid ? ` → ${name.zone}` : ''}
  </h2>
  {#if name.contradicts}
    <p class="border-changed mt-1 border-l-4 pl-2"><strong>It {name.contradicts}.</strong></p>
  {/if}
  <p class="mt-1">{name.says.charAt(0).toUpperCase() + name.says.slice(1)}.</p>
  <div class="mt-2 flex flex-wrap items-start gap-6">
    <figure>
      <YearLine
        own={name.own_year}
        other={name.zone_year}
        said={name.defined ? 'its definition' : name.zone}
        otherSaid={name.named}
        wide={300}
      />
      {#if name.own_year.length}
        <figcaption class="text-soft text-[12px]">
          this year: {name.defined ? 'its definition' : name.zone}{name.zone_year.length
            ? `, dashed: ${name.named}`
            : ''}
        </figcaption>
      {/if}
    </figure>
    {#if name.candidates.length}
      <div class="text-[13px]">
        <h3 class="font-bold">{name.defined ? 'Same as' : 'Could be'}</h3>
        <ul>
          {#each name.candidates as one (one.zones.join() + one.first)}
            <li class="flex flex-wrap gap-x-2">
              <span class="figures text-soft"
                >{one.first === one.last ? one.first : `${one.first}–${one.last}`}{one.parts
                  ? `, parts ${one.parts}`
                  : ''}</span
              >
              {#each one.zones.slice(0, 4) as fit (fit)}
                <button class="text-brass underline" aria-pressed={chosen === fit} onclick={() => (zone = fit)}
                  >{fit}</button
                >
              {/each}
              {#if one.more + Math.max(0, one.zones.length - 4)}<span class="text-soft"
                  >and {one.more + Math.max(0, one.zones.length - 4)} more</span
                >{/if}
            </li>
          {/each}
        </ul>
      </div>
    {/if}
  </div>
  {#if readings.data?.rows.length}
    <h3 class="mt-3 text-[13px] font-bold">Both readings of the entries</h3>
    <table class="w-full max-w-[720px] text-[13px]">
      <thead
        ><tr class="text-soft text-left"
          ><th class="font-normal">entry</th><th class="font-normal">day</th><th class="font-normal"
            >by its name, {name.named}</th
          ><th class="font-normal">by its definition, on the same clock</th></tr
        ></thead
      >
      <tbody class="figures">
        {#each readings.data.rows.slice(0, 6) as one, k (k)}
          <tr class="border-line border-t"
            ><td class="max-w-48 truncate pr-3">{one.title}</td><td class="pr-3">{one.day}</td><td class="pr-3"
              >{one.by_name}</td
            ><td class="text-changed">{one.by_definition} ({one.apart})</td></tr
          >
        {/each}
      </tbody>
    </table>
  {/if}
  <section class="border-line mt-3 border-t pt-2" aria-label="Decide">
    <div class="flex flex-wrap items-center gap-x-4 gap-y-2 text-[13px]">
      <ZoneChoice value={chosen} label="Zone to use" onchange={(value) => (zone = value)} />
      <label class="flex items-center gap-2"
        >in <select class="field-small max-w-64" aria-label="In which calendars" bind:value={where}>
          <option value={0}>all calendars ({count(name.entries)})</option>
          {#each name.uses as use (use.calendar_id)}<option value={use.calendar_id}
              >{use.name} ({count(use.entries)})</option
            >{/each}
        </select></label
      >
    </div>
    {#if name.tzid}
      <div class="mt-2 flex flex-wrap gap-2">
        <Action
          kind="main"
          key="d"
          disabled={!chosen}
          onclick={() => void decide()}
          hint="A ruling: the entries are not changed, and it can be withdrawn">Use {chosen || 'this zone'}</Action
        >
        {#if name.defined}
          <Action onclick={() => void decide('definition')} hint="The definition counts, whatever the name"
            >Use its definition</Action
          >
        {/if}
        <Action onclick={() => void goto(`/look?filter=${encodeURIComponent(selection.filter)}`)}
          >Show in the table</Action
        >
      </div>
    {/if}
    {#if job !== null}<div class="mt-2"><JobLine id={job} onended={() => void ruled()} /></div>{/if}
  </section>
  <section class="border-line mt-3 border-t pt-2" aria-label="Mend">
    <h3 class="text-[13px] font-bold">Change the entries: {counted(many, 'entry', 'entries')}</h3>
    <ul class="mt-1 grid gap-1 text-[13px]">
      {#each ways as one (one.way)}
        <li><Action onclick={() => mend(one.way)} key={one.key}>{one.does}…</Action></li>
      {/each}
    </ul>
  </section>
</div>

{#if steps}<Change {selection} chosen={many} {steps} onclose={() => (steps = null)} />{/if}
