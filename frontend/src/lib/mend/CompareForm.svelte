<script lang="ts">
  import Action from '$lib/ui/Action.svelte';
  import DayField from '$lib/time/DayField.svelte';
  import type { Calendar } from '$lib/api/client';

  /** Two calendars and the days over which they are compared. */
  type Asked = { left: number; right: number; first: string; last: string };
  type Props = { calendars: Calendar[]; asked: Asked; busy: boolean; oncompare: (asked: Asked) => void };
  const { calendars, asked, busy, oncompare }: Props = $props();
  let wanted = $derived({ ...asked });
  const ready = $derived(wanted.left > 0 && wanted.right > 0 && wanted.left !== wanted.right);
</script>

{#snippet choose(label: string, value: number, onchange: (value: number) => void)}
  <select
    class="field-small max-w-64"
    aria-label={label}
    {value}
    onchange={(event) => onchange(Number(event.currentTarget.value))}
  >
    <option value={0}>{label}…</option>
    {#each calendars as one (one.id)}<option value={one.id}>{one.label}</option>{/each}
  </select>
{/snippet}

<form
  class="flex flex-wrap items-center gap-x-3 gap-y-2 text-[13px]"
  onsubmit={(event) => {
    event.preventDefault();
    if (ready) oncompare(wanted);
  }}
>
  {@render choose('Left calendar', wanted.left, (left) => (wanted = { ...wanted, left }))}
  <span>against</span>
  {@render choose('Right calendar', wanted.right, (right) => (wanted = { ...wanted, right }))}
  <span>from</span>
  <DayField label="First day" value={wanted.first} onchange={(first) => (wanted = { ...wanted, first })} />
  <span>to</span>
  <DayField label="Last day" value={wanted.last} onchange={(last) => (wanted = { ...wanted, last })} />
  <Action kind="main" submit disabled={!ready || busy}>Compare</Action>
</form>
