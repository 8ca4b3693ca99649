<script lang="ts">
  import { goto } from '$app/navigation';
  import { useQueryClient } from '@tanstack/svelte-query';
  import { onMount } from 'svelte';
  import Action from '$lib/ui/Action.svelte';
  import Deck from '$lib/ui/Deck.svelte';
  import SeenPane from '$lib/share/SeenPane.svelte';
  import WhatPane from '$lib/share/WhatPane.svelte';
  import { answer, client } from '$lib/api/client';
  import { attempt } from '$lib/state/attempt';
  import { keys } from '$lib/state/keys.svelte';
  import { notices } from '$lib/state/notice.svelte';
  import type { Wanted } from '$lib/share/share';

  /** A share being said: what it gives on the left, and at once what its readers would see on the right. */
  const { start, share }: { start: Wanted; share?: number } = $props();
  const queries = useQueryClient();
  // svelte-ignore state_referenced_locally (what is given first is what is begun with)
  let wanted = $state(start);
  let says = $state('');
  let busy = $state(false);
  const ready = $derived(
    wanted.title.trim() && wanted.owner.trim() && (wanted.calendars.length || wanted.filter.trim()),
  );

  const missing = $derived(
    !wanted.title.trim()
      ? 'Say a title.'
      : !wanted.owner.trim()
        ? 'Say which role it belongs to, at the end of the form.'
        : '',
  );

  async function done(): Promise<void> {
    if (!ready || busy) return;
    busy = true;
    let number = share ?? 0;
    const made = await attempt(async () => {
      if (share)
        await answer(client.PUT('/api/shares/{share}', { params: { path: { share } }, body: $state.snapshot(wanted) }));
      else number = (await answer(client.POST('/api/shares', { body: $state.snapshot(wanted) }))).id;
    });
    busy = false;
    if (!made) return;
    await queries.invalidateQueries({ queryKey: ['shares'] });
    await queries.invalidateQueries({ queryKey: ['route'] });
    await goto(`/share/${number}`);
    notices.say(
      share
        ? `${wanted.title} gives what you said; its addresses stay.`
        : `${wanted.title} is made. Nobody can read it yet: give it to readers.`,
    );
  }

  onMount(() => {
    return keys.offer([
      {
        key: 'Escape',
        does: 'leave it as it was',
        aim: 'go',
        run: () => void goto(share ? `/share/${share}` : '/share'),
      },
    ]);
  });
</script>

<div class="flex min-h-0 flex-1 max-[900px]:flex-col">
  <div
    class="border-ink w-[440px] shrink-0 overflow-y-auto border-r px-4 py-3 max-[900px]:w-full max-[900px]:border-r-0"
    role="region"
    aria-label="What is given"
    tabindex="-1"
    data-part
    data-rest
  >
    <h1 class="mb-3 text-lg font-bold">{share ? 'What this share gives' : 'Share something'}</h1>
    <WhatPane bind:wanted />
  </div>
  <div
    class="flex min-h-0 min-w-0 flex-1 flex-col"
    role="region"
    aria-label="As a reader sees it"
    tabindex="-1"
    data-part
  >
    <SeenPane {wanted} {share} bind:says />
  </div>
</div>
<Deck label="What readers get">
  <p role="status">
    {says || 'Say what is shared, and you see here what readers get of it.'}
    {#if says && missing}<strong>{missing}</strong>{/if}
  </p>
  {#snippet actions()}
    <Action href={share ? `/share/${share}` : '/share'} key="Esc">Not now</Action>
    <Action kind="main" onclick={() => void done()} disabled={!ready || busy}
      >{share
        ? 'Give this from now on'
        : `Make the share${wanted.title.trim() ? ` “${wanted.title.trim()}”` : ''}`}</Action
    >
  {/snippet}
</Deck>
