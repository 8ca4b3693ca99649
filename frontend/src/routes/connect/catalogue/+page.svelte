<script lang="ts">
  import { key, query } from '$lib/api/queries';
  import { goto } from '$app/navigation';
  import { walking } from '$lib/state/focus';
  import Action from '$lib/ui/Action.svelte';
  import { answer, client } from '$lib/api/client';
  import { rows } from '$lib/state/rows';

  /** Open feeds by subject; each is looked at before it is subscribed to. */
  const catalogue = query(() => ({
    queryKey: key('catalogue'),
    queryFn: () => answer(client.GET('/api/catalogue-feeds')),
  }));
  let subject = $state('');
  const subjects = $derived([...new Set((catalogue.data ?? []).map((feed) => feed.subject))]);
  const shown = $derived((catalogue.data ?? []).filter((feed) => !subject || feed.subject === subject));
</script>

<svelte:head><title>Catalogue · Date Bridge</title></svelte:head>

<div
  class="min-h-0 flex-1 overflow-y-auto px-4 py-3"
  role="region"
  aria-label="Catalogue"
  tabindex="-1"
  data-rest
  data-part
  {@attach walking('a[href], button', undefined, true)}
>
  <div class="mb-3 flex items-center gap-4">
    <h1 class="text-xl font-bold">Open feeds</h1>
    <span class="text-soft flex-1">Preview the coming months of a feed before you subscribe.</span>
    <Action href="/connect">Back to Connect</Action>
  </div>
  {#if catalogue.isError}<p class="text-removed">{catalogue.error.message}</p>{/if}
  {#if catalogue.isPending}<p class="text-soft" role="status">Fetching…</p>{/if}
  {#if catalogue.data?.length === 0}
    <p class="text-soft">
      No catalogue is configured. Set DATE_BRIDGE_CATALOGUE, or enter a feed's address under Connect.
    </p>
  {/if}
  {#if subjects.length}
    <div class="mb-3 flex flex-wrap gap-2" role="group" aria-label="Subjects">
      {#each ['', ...subjects] as one (one)}
        <button
          class="border-line h-control border px-3 {subject === one ? 'bg-picked font-bold' : 'bg-sheet'}"
          aria-pressed={subject === one}
          onclick={() => (subject = one)}>{one || 'All subjects'}</button
        >
      {/each}
    </div>
    <ul class="ruled border-ink border-t" {@attach rows()}>
      {#each shown as feed (feed.address)}
        <li class="flex min-h-10 items-center gap-4">
          <span class="text-soft w-28">{feed.subject}</span>
          <span class="w-64 truncate font-medium">{feed.title}</span>
          <span class="min-w-0 flex-1 truncate">{feed.description}</span>
          <span class="w-40 truncate {feed.connected ? 'text-added font-bold' : 'text-soft'}"
            >{feed.connected ? `✓ subscribed` : `by ${feed.publisher}`}</span
          >
          <Action
            onclick={() => void goto('/connect/add', { state: { address: feed.address, publisher: feed.publisher } })}
            hint="Preview {feed.title}"
            named="Preview: {feed.title}">Preview</Action
          >
        </li>
      {/each}
    </ul>
  {/if}
</div>
