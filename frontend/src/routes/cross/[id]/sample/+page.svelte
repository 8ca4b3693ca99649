<script lang="ts">
  import { page } from '$app/state';
  import { onMount } from 'svelte';
  import Action from '$lib/ui/Action.svelte';
  import TextBanks from '$lib/ui/TextBanks.svelte';
  import { answer, client } from '$lib/api/client';
  import { key, query } from '$lib/api/queries';
  import { walking } from '$lib/state/focus';
  import { keys } from '$lib/state/keys.svelte';
  import { count, counted, moment } from '$lib/ui/words';

  /** What a sample crossing showed: the entries that came back otherwise than foretold, in two banks. */
  const id = $derived(Number(page.params.id));
  const crossing = query(() => ({
    queryKey: key('crossing', id),
    queryFn: () => answer(client.GET('/api/crossings/{crossing_id}', { params: { path: { crossing_id: id } } })),
    retry: false,
  }));
  const sample = $derived(crossing.data?.sample);
  const target = $derived(crossing.data?.target ?? 'the target');
  let at = $state(0);
  const open = $derived(sample?.otherwise[at]);

  onMount(() => keys.offer([{ key: '↑ ↓', does: 'from one entry to the next; Enter opens it', aim: 'find' }]));
</script>

<svelte:head><title>Sample crossing · Date Bridge</title></svelte:head>
<div class="border-line flex flex-wrap items-baseline gap-x-4 border-b px-4 pt-3 pb-2">
  <h1 class="text-xl font-bold">Sample crossing</h1>
  {#if sample?.at}
    <span class="figures" role="status"
      >{counted(sample.entries, 'entry', 'entries')} written at {target}, read back and removed {moment(sample.at)} · {sample
        .otherwise.length
        ? `${count(sample.otherwise.length)} otherwise than foretold`
        : 'all as foretold'}</span
    >
  {/if}
  <span class="ml-auto"><Action href="/cross/{id}">Back to the crossing</Action></span>
</div>
{#if crossing.isError}
  <p class="text-removed p-4">{crossing.error.message}</p>
{:else if sample}
  {#each [...sample.cautions, sample.left && `Something of the sample is still at ${target}: ${sample.left}`].filter(Boolean) as note (note)}
    <p class="border-changed mx-4 my-2 border-l-4 pl-3">{note}</p>
  {/each}
  {#if sample.corrected.length}
    <p class="border-changed mx-4 my-2 border-l-4 pl-3">
      What {target} keeps was corrected: {sample.corrected.join(', ')}. Rehearse again to see what is lost.
    </p>
  {/if}
  {#if open}
    <div
      class="min-h-0 flex-1 overflow-y-auto"
      role="region"
      aria-label="Entries"
      tabindex="-1"
      data-rest
      data-part
      {@attach walking('button')}
    >
      <ul>
        {#each sample.otherwise as one, k (k)}
          <li>
            <button
              class="border-line flex w-full items-center gap-4 border-b px-4 py-1 text-left text-[13px] {k === at
                ? 'bg-picked font-bold'
                : 'hover:bg-shade'}"
              aria-current={k === at ? 'true' : undefined}
              onclick={() => (at = k)}
            >
              <span class="min-w-0 flex-1 truncate">{one.title}</span>
              <span class="w-[45%] font-normal">{one.why}</span>
            </button>
          </li>
        {/each}
      </ul>
    </div>
    <TextBanks
      left={open.left}
      right={open.right}
      names={['As foretold', 'As it came back']}
      missing="It did not come back."
    />
  {:else}
    <p class="p-6">
      {sample.at
        ? 'Every entry of the sample came back as foretold.'
        : 'No sample was tried yet. Try one from the crossing.'}
    </p>
  {/if}
{:else}
  <p class="text-soft p-6" role="status">Fetching…</p>
{/if}
