<script lang="ts">
  import Action from '$lib/ui/Action.svelte';
  import Sheet from '$lib/ui/Sheet.svelte';
  import type { Calendar } from '$lib/api/client';
  import { attempt } from '$lib/state/attempt.svelte';
  import { looking } from '$lib/state/looking.svelte';

  /** The layers that are on, kept together under a name; and what is kept already. */
  const { calendars, onclose }: { calendars: Calendar[]; onclose: () => void } = $props();
  let name = $state('');
</script>

<Sheet label="Save these layers" {onclose}>
  <h2 class="mb-2 text-base font-bold">Save the {looking.on(calendars).length} visible layers as a set</h2>
  <label class="block">
    Name
    <input class="field ml-2 w-72" bind:value={name} placeholder="Berths and expeditions" />
  </label>
  {#if looking.sets.length}
    <p class="text-soft mt-3 mb-1">Saved sets; the first nine have a key, in order of their names:</p>
    <ul>
      {#each looking.sets as set, k (set.name)}
        <li class="flex gap-3">
          <span class="figures w-6">{k < 9 ? `⇧${k + 1}` : ''}</span>{set.name}<span class="text-soft"
            >{set.on.length} layers</span
          >
          <button
            class="text-brass ml-auto underline"
            onclick={() => {
              looking.show(set, calendars);
              onclose();
            }}>show</button
          >
          <button class="text-removed underline" onclick={() => void looking.forgetSet(set.name)}>forget</button>
        </li>
      {/each}
    </ul>
  {/if}
  {#snippet actions()}
    <Action
      kind="main"
      disabled={!name.trim()}
      onclick={() =>
        void attempt(async () => {
          await looking.keepSet(name, calendars);
          onclose();
        })}>Save this set</Action
    >
  {/snippet}
</Sheet>
