<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query';
  import Action from '$lib/ui/Action.svelte';
  import Sheet from '$lib/ui/Sheet.svelte';
  import { answer, client, type Calendar } from '$lib/api/client';
  import { key, query, refreshAll } from '$lib/api/queries';
  import { attempt } from '$lib/state/attempt.svelte';
  import { apply } from '$lib/state/undo';
  import { PALETTE } from '$lib/ui/palette';
  import { hex } from '$lib/state/looking.svelte';

  /** Another colour for a layer, and whether it can be told from the others that are on. */
  type Props = { layer: Calendar; others: Calendar[]; onclose: () => void };
  const { layer, others, onclose }: Props = $props();
  const queries = useQueryClient();
  // svelte-ignore state_referenced_locally (a start; the reader changes it)
  let colour = $state(hex(layer));

  const trial = query(() => ({
    queryKey: key('layer-warnings', 'trial', layer.id, colour),
    queryFn: () => {
      const query = { calendar: [...others.map((one) => one.id), 0], colour: [...others.map(hex), colour] };
      return answer(client.GET('/api/layers/warnings', { params: { query } }));
    },
  }));
  const warning = $derived(trial.data?.find((one) => one.calendar === 0)?.message ?? '');

  async function recolour(): Promise<void> {
    await attempt(async () => {
      const body = { name: layer.name, own_colour: colour, zone: layer.zone, description: layer.description };
      const params = { path: { calendar_id: layer.id } };
      const made = await answer(client.PUT('/api/calendars/{calendar_id}', { params, body }));
      await apply(made.set_id);
      onclose();
      await refreshAll(queries);
    });
  }
</script>

<Sheet label="Another colour" {onclose}>
  <h2 class="mb-2 text-base font-bold">Colour of {layer.label}</h2>
  <div class="mb-3 flex flex-wrap items-center gap-1">
    {#each PALETTE as one (one)}
      <button
        class="h-7 w-7 border-2 {colour === one ? 'border-ink' : 'border-line'}"
        style:background={one}
        aria-label={one}
        aria-pressed={colour === one}
        onclick={() => (colour = one)}
      ></button>
    {/each}
    <input type="color" bind:value={colour} aria-label="Any colour" class="ml-2 h-7 w-10" />
  </div>
  <p
    class="border-line mb-2 border-l-4 px-2 py-1"
    style:border-color={colour}
    style:background="color-mix(in srgb, {colour} 16%, var(--sheet))"
  >
    An event of this layer
  </p>
  <p class={warning ? 'text-changed' : 'text-soft'}>
    {warning ? `This colour is ${warning}.` : 'It differs clearly from the other visible layers.'}
  </p>
  {#snippet actions()}
    <Action kind="main" onclick={() => void recolour()}>Use this colour for {layer.name}</Action>
  {/snippet}
</Sheet>
