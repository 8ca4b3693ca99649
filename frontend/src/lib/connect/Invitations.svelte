<script lang="ts">
  import { key, query } from '$lib/api/queries';
  import { onMount } from 'svelte';
  import Action from '$lib/ui/Action.svelte';
  import ReplySheet from '$lib/connect/ReplySheet.svelte';
  import { answer, client, type Schemas } from '$lib/api/client';
  import { keys } from '$lib/state/keys.svelte';
  import { counted } from '$lib/ui/words';

  /** What a file invites to, and by whom, if it is an invitation: each can be answered. */
  const { file }: { file: number } = $props();
  const asked = query(() => ({
    queryKey: key('imports', file, 'invitations'),
    queryFn: () => answer(client.GET('/api/imports/{file_id}/invitations', { params: { path: { file_id: file } } })),
  }));
  let answering = $state<Schemas['InvitedOut'] | null>(null);

  const answerable = $derived(asked.data?.invitations.find((one) => one.organizer && one.people.length));
  onMount(() =>
    keys.offer([
      {
        key: 'r',
        does: 'reply to the invitation',
        aim: 'change',
        run: () => (answering = answerable ?? null),
      },
    ]),
  );

  function who(one: Schemas['InvitedOut']): string {
    if (!one.organizer) return 'nobody named';
    return one.organizer.name ? `${one.organizer.name} <${one.organizer.address}>` : one.organizer.address;
  }
  const replied = (one: Schemas['InvitedOut']) =>
    one.people.filter((person) => !['', 'NEEDS-ACTION'].includes(person.answer)).length;
</script>

{#if asked.data?.invitations.length}
  <ul class="border-line max-h-40 shrink-0 overflow-y-auto border-b" aria-label="Invitations">
    {#each asked.data.invitations as one (one.uid)}
      <li class="flex flex-wrap items-center gap-x-4 gap-y-1 px-4 py-2">
        <span class="min-w-0 flex-1">
          <strong>An invitation</strong> from {who(one)} to “{one.title || 'an event without a title'}”{one.facts[0]
            ? `, ${one.facts[0].value}`
            : ''}.
          <span class="text-soft">
            {counted(one.people.length, 'attendee', 'attendees')}, {replied(one) || 'none'} replied.
          </span>
        </span>
        {#if one.organizer && one.people.length}
          <Action
            named={one === answerable ? '' : `Reply to ${one.title}`}
            key={one === answerable ? 'r' : ''}
            onclick={() => (answering = one)}>Reply…</Action
          >
        {:else}<span class="text-soft"
            >It names {one.organizer ? 'no attendees' : 'no organiser'}: no reply can be made.</span
          >{/if}
      </li>
    {/each}
    {#if asked.data.capped}
      <li class="text-soft px-4 py-2">The file has more events; only the first 200 are read as invitations.</li>
    {/if}
  </ul>
  {#if answering}
    <ReplySheet {file} invitation={answering} canMail={asked.data.mail} onclose={() => (answering = null)} />
  {/if}
{/if}
