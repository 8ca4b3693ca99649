<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import DayField from './DayField.svelte';
  import HourField from './HourField.svelte';

  /** Alarms: before the start or the end, at an hour on a day before, or at a fixed time; several of them. */
  type Alarm = Schemas['Alarm'];
  type Props = { alarms: Alarm[]; start: string; whole: boolean; onchange: (alarms: Alarm[]) => void };
  const { alarms, start, whole, onchange }: Props = $props();

  const minuteOfDay = $derived(whole ? 0 : Number(start.slice(11, 13)) * 60 + Number(start.slice(14, 16)));
  const UNITS = [
    { minutes: 1, name: 'minutes' },
    { minutes: 60, name: 'hours' },
    { minutes: 1440, name: 'days' },
  ];
  // Which alarms are shown as "at an hour, so many days before": all of whole days, and those chosen to be.
  let hourly = $state<number[]>([]);

  const unitOf = (minutes: number) => [1440, 60].find((unit) => minutes && Math.abs(minutes) % unit === 0) ?? 1;
  const kindOf = (alarm: Alarm, k: number) =>
    !alarm.related ? 'fixed' : alarm.related === 'end' ? 'end' : whole || hourly.includes(k) ? 'hour' : 'start';

  function set(k: number, change: Partial<Alarm>): void {
    onchange(alarms.map((alarm, at) => (at === k ? { ...alarm, ...change } : alarm)));
  }

  function turn(k: number, kind: string): void {
    hourly = kind === 'hour' ? [...hourly, k] : hourly.filter((one) => one !== k);
    if (kind === 'fixed') set(k, { related: '', at: `${start.slice(0, 10)}T08:00`, minutes: 0 });
    else if (kind === 'hour') set(k, { related: 'start', at: '', minutes: minuteOfDay + 1440 - 18 * 60 });
    else set(k, { related: kind, at: '', minutes: 15 });
  }

  const daysBefore = (minutes: number) => Math.ceil((minutes - minuteOfDay) / 1440);
  const hourOf = (minutes: number) => {
    const at = (((minuteOfDay - minutes) % 1440) + 1440) % 1440;
    return `${String(Math.floor(at / 60)).padStart(2, '0')}:${String(at % 60).padStart(2, '0')}`;
  };
  const before = (days: number, hour: string) =>
    minuteOfDay + days * 1440 - (Number(hour.slice(0, 2)) * 60 + Number(hour.slice(3, 5)));
</script>

{#each alarms as alarm, k (k)}
  {@const kind = kindOf(alarm, k)}
  {@const unit = unitOf(alarm.minutes)}
  <div class="mb-1 flex flex-wrap items-center gap-1.5" role="group" aria-label="Alarm {k + 1}">
    <select class="field-small" aria-label="Kind" value={kind} onchange={(event) => turn(k, event.currentTarget.value)}>
      {#if !whole}<option value="start">before the start</option>{/if}
      <option value="end">before the end</option>
      <option value="hour">at an hour, days before</option>
      <option value="fixed">at a fixed time</option>
    </select>
    {#if kind === 'fixed'}
      <DayField
        label="Day of alarm {k + 1}"
        value={alarm.at.slice(0, 10)}
        onchange={(day) => set(k, { at: day + alarm.at.slice(10) })}
      />
      <HourField
        label="Hour of alarm {k + 1}, UTC"
        value={alarm.at.slice(11, 16)}
        onchange={(hour) => set(k, { at: `${alarm.at.slice(0, 10)}T${hour}` })}
      /> UTC
    {:else if kind === 'hour'}
      <input
        type="number"
        min="0"
        max="365"
        class="field-small w-14"
        aria-label="Days before"
        value={daysBefore(alarm.minutes)}
        onchange={(event) => set(k, { minutes: before(Number(event.currentTarget.value), hourOf(alarm.minutes)) })}
      />
      days before at
      <HourField
        label="Hour of alarm {k + 1}"
        value={hourOf(alarm.minutes)}
        onchange={(hour) => set(k, { minutes: before(daysBefore(alarm.minutes), hour) })}
      />
    {:else}
      <input
        type="number"
        min="0"
        class="field-small w-16"
        aria-label="How long"
        value={Math.abs(alarm.minutes) / unit}
        onchange={(event) => set(k, { minutes: Number(event.currentTarget.value) * unit })}
      />
      <select
        class="field-small"
        aria-label="Unit"
        value={unit}
        onchange={(event) => set(k, { minutes: (alarm.minutes / unit) * Number(event.currentTarget.value) })}
      >
        {#each UNITS as one (one.minutes)}<option value={one.minutes}>{one.name}</option>{/each}
      </select>
      {#if alarm.minutes < 0}<span class="text-soft">after it</span>{/if}
    {/if}
    <button
      type="button"
      class="text-removed ml-auto underline"
      onclick={() => onchange(alarms.filter((_, at) => at !== k))}>remove</button
    >
  </div>
{/each}
<button
  type="button"
  class="text-brass underline"
  onclick={() =>
    onchange([...alarms, { related: 'start', minutes: whole ? 1440 - 18 * 60 : 15, at: '', place: -1, seconds: 0 }])}
  >add an alarm</button
>
