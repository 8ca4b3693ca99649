<script lang="ts" module>
  import { zonesQuery } from '$lib/api/queries';
  import Input from '$lib/ui/Input.svelte';
  import type { Schemas } from '$lib/api/client';
  export type Wanted = Schemas['CalendarIn'];
</script>

<script lang="ts">
  import { PALETTE } from '$lib/ui/palette';

  /** What a calendar is called, its colour, its zone, and a description. */
  let { wanted = $bindable() }: { wanted: Wanted } = $props();

  const zones = zonesQuery();
  const box = 'field min-w-0 flex-1';
</script>

<label class="mb-2 flex items-center gap-2">
  <span class="w-24">Name</span>
  <input bind:value={wanted.name} maxlength="200" class={box} />
</label>
<fieldset class="mb-2 flex min-w-0 items-center gap-1">
  <legend class="visually-hidden">Colour</legend>
  <span class="w-24 shrink-0" aria-hidden="true">Colour</span>
  {#each PALETTE as colour (colour)}
    <button
      type="button"
      aria-label="Colour {colour}"
      aria-pressed={wanted.own_colour === colour}
      class="h-5 w-[18px] shrink-0 border {wanted.own_colour === colour
        ? 'outline-ink outline-2 outline-offset-2'
        : 'border-line'}"
      style:background={colour}
      onclick={() => (wanted.own_colour = colour)}
    ></button>
  {/each}
  <Input
    bind:value={wanted.own_colour}
    aria-label="Colour as #rrggbb"
    placeholder="#rrggbb"
    class="figures w-24 min-w-0 px-1"
  />
</fieldset>
<label class="mb-2 flex items-center gap-2">
  <span class="w-24">Zone</span>
  <select bind:value={wanted.zone} class={box}>
    <option value="">none stated</option>
    {#if wanted.zone && !zones.data?.includes(wanted.zone)}<option value={wanted.zone}>{wanted.zone}</option>{/if}
    {#each zones.data ?? [] as zone (zone)}<option value={zone}>{zone}</option>{/each}
  </select>
</label>
<label class="flex items-start gap-2">
  <span class="w-24 pt-1">Description</span>
  <textarea bind:value={wanted.description} rows="2" class="bg-paper border-line min-w-0 flex-1 border px-2 py-1"
  ></textarea>
</label>
