<script lang="ts">
  import { key, query, refresh } from '$lib/api/queries';
  import { goto } from '$app/navigation';
  import { useQueryClient } from '@tanstack/svelte-query';
  import { onMount, untrack } from 'svelte';
  import Action from '$lib/ui/Action.svelte';
  import Deck from '$lib/ui/Deck.svelte';
  import SeenPane from '$lib/share/SeenPane.svelte';
  import WhatPane from '$lib/share/WhatPane.svelte';
  import { answer, client } from '$lib/api/client';
  import { attempt } from '$lib/state/attempt.svelte';
  import { keys } from '$lib/state/keys.svelte';
  import { notices } from '$lib/state/notice.svelte';
  import { unsaved } from '$lib/state/unsaved.svelte';
  import type { Wanted } from '$lib/share/share';

  /** A share being said: what it gives on the left, and at once what its readers would see on the right. */
  const { start, share }: { start: Wanted; share?: number } = $props();
  const queries = useQueryClient();
  // svelte-ignore state_referenced_locally (what is given first is what is begun with)
  let wanted = $state(start);
  let says = $state('');
  let busy = $state(false);
  let saved = false;
  // svelte-ignore state_referenced_locally
  let begun = JSON.stringify(start);
  $effect(() => unsaved.watch(() => !saved && JSON.stringify(wanted) !== begun));
  // Who shared last shares again, usually.
  const owners = query(() => ({
    queryKey: key('share-owners'),
    queryFn: () => answer(client.GET('/api/shares/owners')),
  }));
  $effect(() => {
    const usual = owners.data?.[0];
    if (share || !usual || wanted.owner || offered) return;
    offered = true;
    const clean = JSON.stringify(untrack(() => wanted)) === begun;
    [wanted.owner, wanted.contact] = [usual.name, usual.contact];
    if (clean) begun = JSON.stringify(untrack(() => wanted));
  });
  let offered = false;
  const ready = $derived(
    wanted.title.trim() && wanted.owner.trim() && (wanted.calendars.length || wanted.filter.trim()),
  );

  const missing = $derived(
    !wanted.title.trim()
      ? 'Enter a title.'
      : !wanted.owner.trim()
        ? 'Enter the role that owns it, at the end of the form.'
        : '',
  );

  async function done(): Promise<void> {
    if (busy) return;
    if (!ready) return notices.say(missing || 'Choose the calendars to share, or enter a filter.', 'wrong');
    busy = true;
    let number = share ?? 0;
    const made = await attempt(async () => {
      if (share)
        await answer(
          client.PUT('/api/shares/{share_id}', {
            params: { path: { share_id: share } },
            body: $state.snapshot(wanted),
          }),
        );
      else number = (await answer(client.POST('/api/shares', { body: $state.snapshot(wanted) }))).id;
    });
    busy = false;
    if (!made) return;
    saved = true;
    await refresh(queries, 'shares', 'route');
    await goto(`/share/${number}`);
    notices.say(
      share
        ? `${wanted.title} gives what you said; its addresses stay.`
        : `${wanted.title} is made. Nobody can read it yet: give it to readers.`,
    );
  }

  /** Enter within a line, and Ctrl+Enter anywhere in the form, does what the main button says; Escape leaves the line. */
  function entered(event: KeyboardEvent): void {
    if (event.key === 'Escape') return (event.currentTarget as Element).closest<HTMLElement>('[data-part]')?.focus();
    const line = (event.target as Element).matches('input:not([type=checkbox], [type=radio])');
    if (event.key !== 'Enter' || event.defaultPrevented || !(line || event.ctrlKey || event.metaKey)) return;
    event.preventDefault();
    (event.currentTarget as HTMLFormElement).requestSubmit();
  }

  onMount(() => {
    return keys.offer([
      {
        key: 'Ctrl+Enter',
        does: share ? 'save the share' : 'create the share; Enter does the same from a line of the form',
        aim: 'change',
      },
      {
        key: 'Escape',
        does: 'leave without saving',
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
    aria-label="Contents"
    tabindex="-1"
    data-part
    data-rest={share ? '' : undefined}
  >
    <h1 class="mb-3 text-lg font-bold">{share ? 'Contents of this share' : 'New share'}</h1>
    <!-- svelte-ignore a11y_no_noninteractive_element_interactions (Enter makes the share, from any line) -->
    <form
      onsubmit={(event) => {
        event.preventDefault();
        void done();
      }}
      onkeydown={entered}
    >
      <WhatPane bind:wanted fresh={!share} />
    </form>
  </div>
  <div
    class="flex min-h-0 min-w-0 flex-1 flex-col"
    role="region"
    aria-label="As readers see it"
    tabindex="-1"
    data-part
  >
    <SeenPane {wanted} {share} bind:says />
  </div>
</div>
<Deck label="What readers get">
  <p role="status">
    {says || 'Choose what to share. What readers get is summarised here.'}
    {#if says && missing}<strong>{missing}</strong>{/if}
  </p>
  {#snippet actions()}
    <Action href={share ? `/share/${share}` : '/share'} key="Esc">Cancel</Action>
    <Action kind="main" onclick={() => void done()} disabled={!ready || busy}
      >{share ? 'Save the share' : `Create the share${wanted.title.trim() ? ` “${wanted.title.trim()}”` : ''}`}</Action
    >
  {/snippet}
</Deck>
