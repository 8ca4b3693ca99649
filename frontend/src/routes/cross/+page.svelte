<script lang="ts">
  import { goto } from '$app/navigation';
  import { onMount } from 'svelte';
  import Action from '$lib/ui/Action.svelte';
  import { answer, client } from '$lib/api/client';
  import { key, query } from '$lib/api/queries';
  import { walking } from '$lib/state/focus';
  import { keys } from '$lib/state/keys.svelte';
  import { count, counted } from '$lib/ui/words';

  /** The planned moves: where each goes, how much of it is carried, and what of it is proved. */
  const crossings = query(() => ({ queryKey: key('crossings'), queryFn: () => answer(client.GET('/api/crossings')) }));

  onMount(() =>
    keys.offer([
      { key: '↑ ↓', does: 'from one crossing to the next; Enter opens it', aim: 'find' },
      { key: 'n', does: 'plan a crossing', aim: 'change', run: () => void goto('/cross/new') },
    ]),
  );
</script>

<svelte:head><title>Cross · Date Bridge</title></svelte:head>
<div class="border-ink flex flex-wrap items-center gap-x-6 gap-y-1 border-b px-4 py-2">
  <h1 class="text-lg font-bold">Cross</h1>
  <p class="text-soft min-w-0 flex-1">
    A crossing carries calendars to another account: planned as lanes, rehearsed, run as often as you like, and compared
    until every difference is explained.
  </p>
  <Action kind="main" href="/cross/new" key="n">Plan a crossing</Action>
</div>
{#if crossings.isError}<p class="text-removed px-4 py-2">{crossings.error.message}</p>{/if}
<div
  class="min-h-0 flex-1 overflow-y-auto"
  role="region"
  aria-label="Crossings"
  tabindex="-1"
  data-rest
  data-part
  {@attach walking('a[data-crossing]')}
>
  <ul>
    {#each crossings.data ?? [] as one (one.id)}
      <li class="border-line hover:bg-shade border-b">
        <a class="flex min-h-10 items-center gap-5 px-4 py-1 text-[13px]" href="/cross/{one.id}" data-crossing>
          <span class="text-brass min-w-0 flex-1 truncate text-sm font-bold underline">{one.name}</span>
          <span class="w-40 truncate">to {one.target}</span>
          <span class="figures w-28 text-right">{counted(one.lanes, 'lane', 'lanes')}</span>
          <span class="figures w-32 text-right">{counted(one.entries, 'entry', 'entries')}</span>
          <span class="figures w-28 text-right">{count(one.carried)} carried</span>
          <span class="figures w-28 text-right">{count(one.verified)} verified</span>
          <span class="figures w-32 text-right {one.unexplained ? 'text-removed font-bold' : 'text-soft'}"
            >{one.unexplained ? `${count(one.unexplained)} unexplained` : ''}</span
          >
        </a>
      </li>
    {:else}
      <li class="p-6">
        {#if crossings.data}
          <p class="max-w-[80ch]">
            No crossing is planned yet. Choose the calendars that are to move and the account they go to; a lane for
            each of them is proposed.
          </p>
        {:else}Fetching…{/if}
      </li>
    {/each}
  </ul>
</div>
