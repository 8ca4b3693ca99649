<script lang="ts">
  import { zonesQuery } from '$lib/api/queries';
  import Action from '$lib/ui/Action.svelte';
  import Sheet from '$lib/ui/Sheet.svelte';
  import HourField from './HourField.svelte';
  import { looking, type Clock } from '$lib/state/looking.svelte';

  /** Up to four clocks with their short names and working hours, and the days that are worked. */
  const { onclose }: { onclose: () => void } = $props();
  let clocks = $state<Clock[]>($state.snapshot(looking.clocks));
  let worked = $state<number[]>($state.snapshot(looking.worked));
  const zones = zonesQuery();
  const wrong = $derived(
    clocks.find((clock) => zones.data && !zones.data.includes(clock.zone)) ??
      clocks.find((clock) => clock.from >= clock.to),
  );
  const DAYS = ['Mo', 'Tu', 'We', 'Th', 'Fr', 'Sa', 'Su'];
  const box = 'field min-w-0';

  function name(zone: string): string {
    return (zone.split('/').at(-1) ?? zone).replaceAll('_', ' ');
  }

  function keep(): void {
    looking.clocks = $state.snapshot(clocks);
    looking.worked = $state.snapshot(worked);
    looking.save();
    onclose();
  }
</script>

<Sheet label="Clocks and working hours" width={680} {onclose}>
  <h2 class="mb-1 text-lg font-bold">Clocks and working hours</h2>
  <p class="text-soft mb-3">Days and hours follow the first clock. The working hours of each clock are shaded.</p>
  {#each clocks as clock, k (k)}
    <div class="mb-1.5 flex items-center gap-2" role="group" aria-label="Clock {k + 1}">
      <input
        class="{box} flex-1"
        list="zones-of-clocks"
        aria-label="Zone of clock {k + 1}"
        value={clock.zone}
        onchange={(event) => {
          const fresh = event.currentTarget.value;
          if (!clock.name || clock.name === name(clock.zone)) clock.name = name(fresh);
          clock.zone = fresh;
        }}
      />
      <input class="{box} w-32" aria-label="Name of clock {k + 1}" bind:value={clock.name} maxlength="12" />
      <HourField label="Works from, clock {k + 1}" value={clock.from} onchange={(hour) => (clock.from = hour)} />–
      <HourField label="Works to, clock {k + 1}" value={clock.to} onchange={(hour) => (clock.to = hour)} />
      <button
        class="text-removed underline disabled:opacity-40"
        disabled={clocks.length === 1}
        onclick={() => (clocks = clocks.filter((_, at) => at !== k))}>remove</button
      >
    </div>
  {/each}
  <datalist id="zones-of-clocks">
    {#each zones.data ?? [] as zone (zone)}<option value={zone}></option>{/each}
  </datalist>
  {#if clocks.length < 4}
    <button
      class="text-brass underline"
      onclick={() => (clocks = [...clocks, { zone: 'UTC', name: 'UTC', from: '08:00', to: '17:00' }])}
      >add a clock</button
    >
  {/if}
  <div class="mt-3 flex items-center gap-1" role="group" aria-label="Working days">
    <span class="mr-2">Working hours</span>
    {#each DAYS as day, k (day)}
      <button
        aria-pressed={worked.includes(k)}
        class="h-7 w-9 border {worked.includes(k) ? 'border-brass bg-picked font-bold' : 'border-line'}"
        onclick={() => (worked = worked.includes(k) ? worked.filter((one) => one !== k) : [...worked, k].sort())}
        >{day}</button
      >
    {/each}
  </div>
  {#if wrong}
    <p class="text-removed mt-2">
      {wrong.from >= wrong.to ? `${wrong.name}: work ends after it begins.` : `“${wrong.zone}” is not a time zone.`}
    </p>
  {/if}
  {#snippet actions()}
    <Action kind="main" disabled={Boolean(wrong) || !worked.length} onclick={keep}>Show these clocks</Action>
  {/snippet}
</Sheet>
