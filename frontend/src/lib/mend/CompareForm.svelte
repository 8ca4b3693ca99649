<script lang="ts">
  import Action from '$lib/ui/Action.svelte';
  import DayField from '$lib/time/DayField.svelte';
  import type { Calendar } from '$lib/api/client';

  /** Two calendars and the days over which they are compared. */
  type Asked = { left: number; right: number; first: string; last: string };
  type Props = { calendars: Calendar[]; asked: Asked; busy: boolean; oncompare: (asked: Asked) => void };
  const { calendars, asked, busy, oncompare }: Props = $props();
  let wish = $derived({ ...asked });
  const ready = $derived(wish.left > 0 && wish.right > 0 && wish.left !== wish.right);
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
    if (ready) oncompare(wish);
  }}
>
  {@render choose('Left calendar', wish.left, (left) => (wish = { ...wish, left }))}
  <span>against</span>
  {@render choose('Right calendar', wish.right, (right) => (wish = { ...wish, right }))}
  <span>from</span>
  <DayField label="First day" value={wish.first} onchange={(first) => (wish = { ...wish, first })} />
  <span>to</span>
  <DayField label="Last day" value={wish.last} onchange={(last) => (wish = { ...wish, last })} />
  <Action kind="main" submit disabled={!ready || busy}>Compare</Action>
</form>
