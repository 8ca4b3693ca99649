<script lang="ts">
  import { refresh } from '$lib/api/queries';
  import { useQueryClient } from '@tanstack/svelte-query';
  import Action from '$lib/ui/Action.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Input from '$lib/ui/Input.svelte';
  import Sheet from '$lib/ui/Sheet.svelte';
  import { answer, client } from '$lib/api/client';
  import { attempt } from '$lib/state/attempt.svelte';
  import type { Share, Told } from '$lib/share/share';

  /** Giving a share to somebody: to everyone with the address, or to one reader by name. */
  type Props = { share: Share; onclose: () => void; ontold: (told: Told, name: string) => void };
  const { share, onclose, ontold }: Props = $props();
  const queries = useQueryClient();
  const open = $derived(share.readers.some((one) => !one.name && one.state !== 'revoked'));
  // svelte-ignore state_referenced_locally (how it begins)
  let named = $state(share.readers.length > 0);
  let name = $state('');
  let mail = $state('');
  let password = $state('');

  async function give(): Promise<void> {
    let told: Told | undefined;
    const body = { name: named ? name.trim() : '', mail: named ? mail.trim() : '', password: named ? password : '' };
    const done = await attempt(async () => {
      told = await answer(
        client.POST('/api/shares/{share_id}/readers', { params: { path: { share_id: share.id } }, body }),
      );
    });
    if (!done || !told) return;
    onclose();
    ontold(told, body.name);
    await refresh(queries, 'shares');
  }
</script>

<Sheet label="Invite readers to {share.title}" {onclose}>
  <h2 class="mb-2 text-lg font-bold">Invite readers to “{share.title}”</h2>
  <label class="mb-1 flex gap-2 {open ? 'opacity-60' : ''}"
    ><input type="radio" class="accent-brass" name="to-whom" value={false} bind:group={named} disabled={open} />
    <span
      ><strong>everyone with the address.</strong>
      {open
        ? 'Such an address exists already.'
        : 'One address for all readers. They cannot be told apart or removed singly.'}</span
    ></label
  >
  <label class="mb-3 flex gap-2"
    ><input type="radio" class="accent-brass" name="to-whom" value={true} bind:group={named} />
    <span><strong>one reader.</strong> They get their own address, which can be renewed or revoked separately.</span
    ></label
  >
  {#if named}
    <Field label="Name"><Input bind:value={name} maxlength={100} placeholder="Ida Moe" /></Field>
    <Field label="Email address, to invite them"><Input bind:value={mail} maxlength={200} type="email" /></Field>
    <Field label="Password; leave empty for none"
      ><Input bind:value={password} maxlength={200} autocomplete="new-password" /></Field
    >
  {/if}
  <p class="text-soft">
    The address is shown once. Only its digest is stored, so it can be renewed but not shown again.
  </p>
  {#snippet actions()}
    <Action kind="main" onclick={() => void give()} disabled={named && !name.trim()}
      >{named ? `Create an address for ${name.trim() || 'them'}` : 'Create an address for everyone'}</Action
    >
  {/snippet}
</Sheet>
