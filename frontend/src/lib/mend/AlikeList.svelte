<script lang="ts">
  import { key, query } from '$lib/api/queries';
  import Action from '$lib/ui/Action.svelte';
  import { answer, client } from '$lib/api/client';
  import { rows } from '$lib/state/rows';
  import { counted } from '$lib/ui/words';

  /** Pairs of calendars that look like two copies of one: where comparing begins. */
  const { onpick }: { onpick: (left: number, right: number) => void } = $props();
  const alike = query(() => ({ queryKey: key('alike'), queryFn: () => answer(client.GET('/api/calendar-copies')) }));
</script>

{#if alike.data?.length}
  <h2 class="text-ink border-ink mb-1 max-w-3xl border-b font-bold">Similar calendars</h2>
  <ul class="ruled max-w-3xl" {@attach rows()}>
    {#each alike.data as one (`${one.left} ${one.right}`)}
      <li class="flex flex-wrap items-center gap-x-4 py-1.5">
        <span class="text-ink min-w-0 flex-1"
          >{one.left_name} <span class="text-soft">against</span> {one.right_name}</span
        >
        <span class="figures text-[13px]"
          >{one.uids ? counted(one.uids, 'UID', 'UIDs') : ''}{one.uids && one.titles ? ', ' : ''}{one.titles
            ? counted(one.titles, 'title', 'titles')
            : ''} in both</span
        >
        <Action named="Compare {one.left_name} with {one.right_name}" onclick={() => onpick(one.left, one.right)}
          >Compare</Action
        >
      </li>
    {/each}
  </ul>
{/if}
