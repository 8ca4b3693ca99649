<script lang="ts">
  import { zonesQuery } from '$lib/api/queries';
  import type { Fields, Schemas } from '$lib/api/client';
  import DayField from './DayField.svelte';
  import HourField from './HourField.svelte';
  import { looking } from '$lib/state/looking.svelte';

  /**
   * When an entry is: days and hours on its own clock, and the same moment on the others.
   *
   * A zone is shown by what its name means, `as.means`, where it is written otherwise, `as.written`; unless another is
   * chosen, it stays written as it is.
   */
  type Props = { fields: Fields; clocks: Schemas['ClockOut'][]; as: { written: string; means: string } };
  let { fields = $bindable(), clocks, as }: Props = $props();
  const meant = $derived(as.means !== '' && fields.zone === as.written);

  const zones = zonesQuery();
  function wholeDays(whole: boolean): void {
    if (whole) [fields.start, fields.end, fields.zone] = [fields.start.slice(0, 10), fields.end.slice(0, 10), ''];
    else
      [fields.start, fields.end, fields.zone] = [
        `${fields.start.slice(0, 10)}T09:00`,
        `${fields.start.slice(0, 10)}T10:00`,
        looking.zone,
      ];
    fields.whole = whole;
  }

  /** A new start keeps the length. */
  function begin(value: string): void {
    if (!value) return;
    if (!fields.start) {
      [fields.start, fields.end] = [`${value.slice(0, 10)}T09:00`, `${value.slice(0, 10)}T10:00`];
      [fields.whole, fields.zone] = [false, looking.zone];
      return;
    }
    const length = Date.parse(`${fields.end}Z`) - Date.parse(`${fields.start}Z`);
    const end = new Date(Date.parse(`${value}${fields.whole ? 'T00:00' : ''}Z`) + (Number.isNaN(length) ? 0 : length));
    fields.start = value;
    fields.end = end.toISOString().slice(0, fields.whole ? 10 : 16);
  }

  const row = 'mb-2 flex items-center gap-2';
  const name = 'text-soft w-20 shrink-0';
</script>

<div class={row}>
  <span class={name}>From</span>
  <DayField
    label="First day"
    value={fields.start.slice(0, 10)}
    onchange={(day) => begin(day + fields.start.slice(10))}
  />
  {#if !fields.whole}
    <HourField
      label="Start"
      value={fields.start.slice(11, 16)}
      onchange={(hour) => begin(`${fields.start.slice(0, 10)}T${hour}`)}
    />
  {/if}
  <label class="ml-auto flex items-center gap-1"
    ><input
      type="checkbox"
      class="accent-brass"
      checked={fields.whole}
      onchange={(event) => wholeDays(event.currentTarget.checked)}
    />whole days</label
  >
</div>
<div class={row}>
  <span class={name}>{fields.whole ? 'To, included' : 'To'}</span>
  <DayField
    label="Last day"
    value={fields.end.slice(0, 10)}
    onchange={(day) => (fields.end = day + fields.end.slice(10))}
  />
  {#if !fields.whole}
    <HourField
      label="End"
      value={fields.end.slice(11, 16)}
      onchange={(hour) => (fields.end = `${fields.end.slice(0, 10)}T${hour}`)}
    />
  {/if}
</div>
{#if !fields.whole}
  <div class={row}>
    <span class={name}>On the clock</span>
    <input
      class="field-small min-w-0 flex-1"
      aria-label="Zone"
      list="zones-of-editor"
      bind:value={
        () => (meant ? as.means : fields.zone),
        (zone) => (fields.zone = as.means && zone === as.means ? as.written : zone)
      }
      placeholder="floating: the same clock time everywhere"
    />
    <datalist id="zones-of-editor">
      {#each zones.data ?? [] as zone (zone)}<option value={zone}></option>{/each}
    </datalist>
  </div>
  {#if meant}
    <p class="text-soft mb-2 ml-[88px] text-[12px]">
      written as <span class="figures break-all">{as.written}</span>
    </p>
  {/if}
  {#if clocks.length}
    <dl class="border-line figures mb-2 ml-[88px] border-l-2 pl-2 text-[12px]" aria-label="On the other clocks">
      {#each clocks as clock (clock.zone)}
        <div class="flex gap-2">
          <dt class="text-soft w-24 truncate">
            {looking.clocks.find((one) => one.zone === clock.zone)?.name ?? clock.zone}
          </dt>
          <dd>{clock.shown}</dd>
        </div>
      {/each}
    </dl>
  {/if}
{/if}
