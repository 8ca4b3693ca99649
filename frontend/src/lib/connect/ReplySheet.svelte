<script lang="ts">
  import { key, query } from '$lib/api/queries';
  import Action from '$lib/ui/Action.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Input from '$lib/ui/Input.svelte';
  import Select from '$lib/ui/Select.svelte';
  import Sheet from '$lib/ui/Sheet.svelte';
  import { answer, client, save, type Schemas } from '$lib/api/client';
  import { attempt } from '$lib/state/attempt.svelte';
  import { notices } from '$lib/state/notice.svelte';

  /** A reply to an invitation: whose it is, what it says, the message as it would be sent. */
  type Props = { file: number; invitation: Schemas['InvitedOut']; canMail: boolean; onclose: () => void };
  const { file, invitation, canMail, onclose }: Props = $props();
  const ANSWERS = [
    { value: 'accepted', name: 'Accept', said: 'accepted' },
    { value: 'tentative', name: 'Tentative', said: 'answered tentatively' },
    { value: 'declined', name: 'Decline', said: 'declined' },
  ] as const;

  // svelte-ignore state_referenced_locally
  let address = $state(
    invitation.own[0] ??
      invitation.people.find((one) => ['', 'NEEDS-ACTION'].includes(one.answer))?.address ??
      invitation.people[0]?.address ??
      '',
  );
  let chosen = $state<Schemas['Answer']>('accepted');
  let comment = $state('');
  let busy = $state(false);
  const params = $derived({ path: { file_id: file } });
  const body = $derived({ uid: invitation.uid, address, answer: chosen, comment });
  const organizer = $derived(invitation.organizer?.name || invitation.organizer?.address || '');
  const preview = query(() => ({
    queryKey: key('imports', file, 'reply', $state.snapshot(body)),
    queryFn: () => answer(client.POST('/api/imports/{file_id}/reply', { params, body })),
    placeholderData: (previous) => previous,
    retry: false,
  }));
  const said = $derived(ANSWERS.find((one) => one.value === chosen)?.said ?? '');

  async function act(work: () => Promise<unknown>, done: string): Promise<void> {
    if (busy) return;
    busy = true;
    if (await attempt(work)) {
      notices.say(done);
      onclose();
    }
    busy = false;
  }
  const send = () =>
    act(
      () => answer(client.POST('/api/imports/{file_id}/reply/send', { params, body })),
      `${invitation.title || 'The invitation'}: ${said}. The reply is sent to ${organizer}.`,
    );
  const keep = () =>
    act(
      () => save(`/api/imports/${file}/reply/file`, body),
      'The reply is saved as a file. Send it with your mail program.',
    );
</script>

<Sheet label="Reply to {invitation.title || 'the invitation'}" width={720} {onclose}>
  <h2 class="mb-1 text-lg font-bold">Reply to “{invitation.title || 'the invitation'}”</h2>
  <dl class="text-soft mb-3 grid grid-cols-[max-content_1fr] gap-x-3 text-[13px]">
    {#each invitation.facts as fact, k (k)}
      <dt>{fact.label}</dt>
      <dd class="figures">{fact.value}</dd>
    {/each}
  </dl>
  <fieldset class="mb-3 flex gap-5">
    <legend class="sr-only">Answer</legend>
    {#each ANSWERS as one (one.value)}
      <label class="flex gap-2"
        ><input type="radio" class="accent-brass" name="answer" value={one.value} bind:group={chosen} />
        {one.name}</label
      >
    {/each}
  </fieldset>
  <Field label="As">
    <Select class="w-full" bind:value={address}>
      {#each invitation.people as person (person.address)}
        <option value={person.address}>
          {person.name ? `${person.name} <${person.address}>` : person.address}{person.answer &&
          person.answer !== 'NEEDS-ACTION'
            ? `, ${person.answer.toLowerCase()} so far`
            : ''}
        </option>
      {/each}
    </Select>
  </Field>
  <Field label="Comment to the organiser"><Input bind:value={comment} maxlength={2000} /></Field>
  {#if preview.isError}<p class="text-removed">{preview.error.message}</p>
  {:else if preview.data}
    {@const made = preview.data}
    <section aria-label="The message" class="border-line border p-3 text-[13px]" class:opacity-60={preview.isFetching}>
      <p>From {made.sender}<br />To {made.recipient}<br />Subject <strong>{made.subject}</strong></p>
      <p class="my-2 whitespace-pre-wrap">{made.text.trim()}</p>
      <details>
        <summary>The part that calendar programs read</summary>
        <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
        <pre class="figures mt-1 max-h-56 overflow-auto" tabindex="0">{made.calendar.trim()}</pre>
      </details>
    </section>
  {:else}<p class="text-soft">Making the reply…</p>{/if}
  {#snippet actions()}
    {#if canMail}
      <Action kind="main" disabled={busy || !preview.isSuccess} onclick={() => void send()}
        >Send it to {organizer}</Action
      >
    {/if}
    <Action kind={canMail ? 'plain' : 'main'} disabled={busy || !preview.isSuccess} onclick={() => void keep()}>
      Save the reply as a file
    </Action>
  {/snippet}
</Sheet>
