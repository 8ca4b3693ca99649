<script lang="ts">
  import { key, query } from '$lib/api/queries';
  import { useQueryClient } from '@tanstack/svelte-query';
  import { answer, client, type Schemas } from '$lib/api/client';
  import { attempt } from '$lib/state/attempt.svelte';
  import { reads } from '$lib/state/fields';
  import DayField from './DayField.svelte';

  /** A repeat rule, put together from choices or written out; what the choices cannot say is kept as written. */
  type Props = { rule: string; start: string; whole: boolean; onchange: (rule: string) => void };
  const { rule, start, whole, onchange }: Props = $props();

  const DAYS = ['MO', 'TU', 'WE', 'TH', 'FR', 'SA', 'SU'] as const;
  const NAMES = ['Mo', 'Tu', 'We', 'Th', 'Fr', 'Sa', 'Su'];
  const LONG = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday'];
  const ORDINAL = ['', 'first', 'second', 'third', 'fourth', 'fifth'];

  const queries = useQueryClient();
  /** The start's day; while it is being typed and is none, the day on which everything began. */
  const day = $derived(Number.isNaN(Date.parse(start.slice(0, 10))) ? '1970-01-05' : start.slice(0, 10));
  const weekday = $derived(LONG[(new Date(`${day}T12:00:00Z`).getUTCDay() + 6) % 7]);
  const keyOf = (rule: string) => key('repeats', rule, day);
  const ask = (choice: Schemas['ChoiceIn']) =>
    answer(client.POST('/api/repeats', { body: { rule, start: day, choice } }));
  const said = query(() => ({
    queryKey: keyOf(rule),
    queryFn: () => ask({}),
    placeholderData: (previous: Schemas['RepeatsOut'] | undefined) => previous,
    staleTime: Infinity,
  }));
  const repeats = $derived(said.data?.repeats);
  const frequency = $derived(rule ? (repeats?.frequency ?? '') : '');
  let written = $state(false);

  let asked = 0;
  const choose = (choice: Schemas['ChoiceIn']) =>
    reads(
      attempt(async () => {
        const mine = ++asked;
        const made = await ask(choice);
        if (mine !== asked) return; // something else was chosen meanwhile
        queries.setQueryData(keyOf(made.rule), made);
        onchange(made.rule);
      }),
    );
  /** What is typed into a field counts as soon as it is a number. */
  function typed(event: Event & { currentTarget: HTMLInputElement }, what: 'interval' | 'count'): void {
    const number = event.currentTarget.valueAsNumber;
    if (number >= 1) void choose({ [what]: number });
  }
</script>

<div class="flex flex-wrap items-center gap-2">
  <select
    class="field-small"
    aria-label="Repeats"
    value={frequency}
    onchange={(event) => void choose({ frequency: event.currentTarget.value as Schemas['ChoiceIn']['frequency'] })}
  >
    <option value="">does not repeat</option>
    {#if !whole}<option value="HOURLY">every hour</option>{/if}
    <option value="DAILY">every day</option>
    <option value="WEEKLY">every week</option>
    <option value="MONTHLY">every month</option>
    <option value="YEARLY">every year</option>
    {#if frequency === 'MINUTELY' || frequency === 'SECONDLY'}<option value={frequency}
        >{frequency.toLowerCase()}</option
      >{/if}
  </select>
  {#if frequency && repeats?.plain}
    <label class="flex items-center gap-1"
      >every
      <input
        type="number"
        min="1"
        max="999"
        class="field-small w-14"
        aria-label="Interval"
        value={repeats.interval}
        oninput={(event) => typed(event, 'interval')}
      />
    </label>
  {/if}
  {#if frequency}
    <button type="button" class="text-brass underline" onclick={() => (written = !written)}
      >{written ? 'choose' : 'write the rule'}</button
    >
  {/if}
</div>
{#if frequency && (written || !repeats?.plain)}
  <input
    class="field-small figures mt-1 w-full"
    aria-label="Rule as written"
    value={rule}
    onchange={(event) => onchange(event.currentTarget.value)}
  />
{:else if frequency === 'WEEKLY'}
  <div class="mt-1 flex gap-1" role="group" aria-label="Days of the week">
    {#each DAYS as name, k (name)}
      <button
        type="button"
        aria-pressed={repeats?.weekdays.includes(name)}
        class="h-7 w-9 border {repeats?.weekdays.includes(name) ? 'border-brass bg-picked font-bold' : 'border-line'}"
        onclick={() => void choose({ weekday: name })}>{NAMES[k]}</button
      >
    {/each}
  </div>
{:else if frequency === 'MONTHLY' || frequency === 'YEARLY'}
  <select
    class="field-small mt-1"
    aria-label="Which day"
    value={repeats?.monthly}
    onchange={(event) => void choose({ monthly: event.currentTarget.value as Schemas['ChoiceIn']['monthly'] })}
  >
    <option value="day">on the {Number(day.slice(8, 10))}.</option>
    <option value="nth">on the {ORDINAL[repeats?.nth ?? 1]} {weekday}</option>
    <option value="last">on the last {weekday}</option>
    <option value="end">on the last day of the month</option>
    <option value="work">on the first working day</option>
    {#if repeats?.monthly === 'other'}<option value="other">as the rule says</option>{/if}
  </select>
{/if}
{#if frequency && repeats}
  <div class="mt-1 flex flex-wrap items-center gap-2">
    <select
      class="field-small"
      aria-label="Ends"
      value={repeats.ends}
      onchange={(event) => void choose({ ends: event.currentTarget.value as Schemas['ChoiceIn']['ends'] })}
    >
      <option value="never">without end</option>
      <option value="count">so many times</option>
      <option value="until">until a day</option>
    </select>
    {#if repeats.ends === 'count'}
      <input
        type="number"
        min="1"
        max="9999"
        class="field-small w-20"
        aria-label="How many times"
        value={repeats.count}
        oninput={(event) => typed(event, 'count')}
      />
    {:else if repeats.ends === 'until'}
      <DayField label="Last day of the series" value={repeats.until} onchange={(until) => choose({ until })} />
    {/if}
  </div>
{/if}
