<script lang="ts">
  import DayField from './DayField.svelte';

  /** A repeat rule, put together from choices or written out; what the choices cannot say is kept as written. */
  type Props = { rule: string; start: string; whole: boolean; onchange: (rule: string) => void };
  const { rule, start, whole, onchange }: Props = $props();

  const DAYS = ['MO', 'TU', 'WE', 'TH', 'FR', 'SA', 'SU'];
  const NAMES = ['Mo', 'Tu', 'We', 'Th', 'Fr', 'Sa', 'Su'];
  const parts = $derived(
    new Map(
      rule
        .split(';')
        .filter(Boolean)
        .map((part): [string, string] => [
          part.split('=')[0]?.toUpperCase() ?? '',
          part.split('=').slice(1).join('=').toUpperCase(),
        ]),
    ),
  );
  const freq = $derived(parts.get('FREQ') ?? '');
  const KNOWN = ['FREQ', 'INTERVAL', 'BYDAY', 'BYMONTHDAY', 'BYMONTH', 'BYSETPOS', 'COUNT', 'UNTIL', 'WKST'];
  const odd = $derived(
    ['SECONDLY', 'MINUTELY', 'HOURLY'].includes(freq) || [...parts.keys()].some((name) => !KNOWN.includes(name)),
  );
  let written = $state(false);
  const at = $derived(new Date(`${start.slice(0, 10)}T12:00:00Z`));
  const weekday = $derived(((Number.isNaN(at.getTime()) ? 1 : at.getUTCDay()) + 6) % 7);
  const nth = $derived(Math.ceil(Number(start.slice(8, 10) || 1) / 7));
  const ORDINAL = ['', 'first', 'second', 'third', 'fourth', 'fifth'];
  const LONG = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday'];

  function set(changes: Record<string, string | null>): void {
    const next = new Map(parts);
    for (const [name, value] of Object.entries(changes)) {
      if (value === null || value === '') next.delete(name);
      else next.set(name, value);
    }
    onchange([...next.entries()].map(([name, value]) => `${name}=${value}`).join(';'));
  }

  function frequency(wanted: string): void {
    if (!wanted) onchange('');
    else if (!freq) onchange(`FREQ=${wanted}`);
    else set({ FREQ: wanted, BYDAY: null, BYMONTHDAY: null, BYMONTH: null, BYSETPOS: null });
  }

  const monthly = $derived(
    parts.get('BYSETPOS')
      ? 'other'
      : (parts.get('BYDAY') ?? '') === `${nth}${DAYS[weekday]}`
        ? 'nth'
        : (parts.get('BYDAY') ?? '') === `-1${DAYS[weekday]}`
          ? 'last'
          : parts.get('BYMONTHDAY') === '-1'
            ? 'end'
            : parts.get('BYDAY') || parts.get('BYMONTHDAY')
              ? 'other'
              : 'day',
  );

  function month(kind: string): void {
    const rest = { BYDAY: null, BYMONTHDAY: null, BYSETPOS: null };
    if (kind === 'nth') set({ ...rest, BYDAY: `${nth}${DAYS[weekday]}` });
    else if (kind === 'last') set({ ...rest, BYDAY: `-1${DAYS[weekday]}` });
    else if (kind === 'end') set({ ...rest, BYMONTHDAY: '-1' });
    else if (kind === 'work') set({ ...rest, BYDAY: 'MO,TU,WE,TH,FR', BYSETPOS: '1' });
    else if (kind === 'day') set(rest);
  }

  const days = $derived(parts.get('BYDAY')?.split(',') ?? (freq === 'WEEKLY' ? [DAYS[weekday] ?? 'MO'] : []));
  function day(name: string): void {
    const next = days.includes(name) ? days.filter((one) => one !== name) : [...days, name];
    set({ BYDAY: DAYS.filter((one) => next.includes(one)).join(',') });
  }

  const until = $derived.by(() => {
    const text = parts.get('UNTIL') ?? '';
    return text ? `${text.slice(0, 4)}-${text.slice(4, 6)}-${text.slice(6, 8)}` : '';
  });
  const limit = $derived(parts.has('COUNT') ? 'count' : parts.has('UNTIL') ? 'until' : 'never');
  const box = 'bg-paper border-line h-7 border px-1.5';
</script>

<div class="flex flex-wrap items-center gap-2">
  <select class={box} aria-label="Repeats" value={freq} onchange={(event) => frequency(event.currentTarget.value)}>
    <option value="">does not repeat</option>
    {#if !whole}<option value="HOURLY">every hour</option>{/if}
    <option value="DAILY">every day</option>
    <option value="WEEKLY">every week</option>
    <option value="MONTHLY">every month</option>
    <option value="YEARLY">every year</option>
    {#if freq === 'MINUTELY' || freq === 'SECONDLY'}<option value={freq}>{freq.toLowerCase()}</option>{/if}
  </select>
  {#if freq && !odd}
    <label class="flex items-center gap-1"
      >every
      <input
        type="number"
        min="1"
        max="999"
        class="{box} w-14"
        aria-label="Interval"
        value={parts.get('INTERVAL') ?? '1'}
        onchange={(event) => set({ INTERVAL: event.currentTarget.value === '1' ? null : event.currentTarget.value })}
      />
    </label>
  {/if}
  {#if freq}
    <button type="button" class="text-brass underline" onclick={() => (written = !written)}
      >{written ? 'choose' : 'write the rule'}</button
    >
  {/if}
</div>
{#if freq && (written || odd)}
  <input
    class="{box} figures mt-1 w-full"
    aria-label="Rule as written"
    value={rule}
    onchange={(event) => onchange(event.currentTarget.value)}
  />
{:else if freq === 'WEEKLY'}
  <div class="mt-1 flex gap-1" role="group" aria-label="Days of the week">
    {#each DAYS as name, k (name)}
      <button
        type="button"
        aria-pressed={days.includes(name)}
        class="h-7 w-9 border {days.includes(name) ? 'border-brass bg-picked font-bold' : 'border-line'}"
        onclick={() => day(name)}>{NAMES[k]}</button
      >
    {/each}
  </div>
{:else if freq === 'MONTHLY' || freq === 'YEARLY'}
  <select
    class="{box} mt-1"
    aria-label="Which day"
    value={monthly}
    onchange={(event) => month(event.currentTarget.value)}
  >
    <option value="day">on the {Number(start.slice(8, 10))}.</option>
    <option value="nth">on the {ORDINAL[nth]} {LONG[weekday]}</option>
    <option value="last">on the last {LONG[weekday]}</option>
    <option value="end">on the last day of the month</option>
    <option value="work">on the first working day</option>
    {#if monthly === 'other'}<option value="other">as the rule says</option>{/if}
  </select>
{/if}
{#if freq}
  <div class="mt-1 flex flex-wrap items-center gap-2">
    <select
      class={box}
      aria-label="Ends"
      value={limit}
      onchange={(event) => {
        const kind = event.currentTarget.value;
        const far = `${Number(start.slice(0, 4)) + 1}${start.slice(5, 7)}${start.slice(8, 10)}`;
        set({ COUNT: kind === 'count' ? '10' : null, UNTIL: kind === 'until' ? far : null });
      }}
    >
      <option value="never">without end</option>
      <option value="count">so many times</option>
      <option value="until">until a day</option>
    </select>
    {#if limit === 'count'}
      <input
        type="number"
        min="1"
        max="9999"
        class="{box} w-20"
        aria-label="How many times"
        value={parts.get('COUNT')}
        onchange={(event) => set({ COUNT: event.currentTarget.value })}
      />
    {:else if limit === 'until'}
      <DayField
        label="Last day of the series"
        value={until}
        onchange={(day) => set({ UNTIL: day.replaceAll('-', '') })}
      />
    {/if}
  </div>
{/if}
