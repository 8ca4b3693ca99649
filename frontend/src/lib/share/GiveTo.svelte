<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query';
  import Action from '$lib/ui/Action.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Input from '$lib/ui/Input.svelte';
  import Sheet from '$lib/ui/Sheet.svelte';
  import { answer, client } from '$lib/api/client';
  import { attempt } from '$lib/state/attempt';
  import type { Share, Told } from '$lib/share/share';

  /** Giving a share to somebody: to everybody who has the address, or to one reader by name. */
  type Props = { share: Share; onclose: () => void; ontold: (told: Told, name: string) => void };
  const { share, onclose, ontold }: Props = $props();
  const queries = useQueryClient();
  const open = $derived(share.readers.some((one) => !one.name && one.state !== 'taken back'));
  // svelte-ignore state_referenced_locally (how it begins)
  let named = $state(share.readers.length > 0);
  let name = $state('');
  let mail = $state('');
  let password = $state('');

  async function give(): Promise<void> {
    let told: Told | undefined;
    const body = { name: named ? name.trim() : '', mail: named ? mail.trim() : '', password: named ? password : '' };
    const done = await attempt(async () => {
      told = await answer(client.POST('/api/shares/{share}/readers', { params: { path: { share: share.id } }, body }));
    });
    if (!done || !told) return;
    onclose();
    ontold(told, body.name);
    await queries.invalidateQueries({ queryKey: ['shares'] });
  }
</script>

<Sheet label="Give {share.title} to readers" {onclose}>
  <h2 class="mb-2 text-lg font-bold">Give “{share.title}” to</h2>
  <label class="mb-1 flex gap-2 {open ? 'opacity-60' : ''}"
    ><input type="radio" class="accent-brass" value={false} bind:group={named} disabled={open} />
    <span
      ><strong>everybody who has the address.</strong>
      {open ? 'That is so already.' : 'One address for all. Nobody can be told apart, or shut out alone.'}</span
    ></label
  >
  <label class="mb-3 flex gap-2"
    ><input type="radio" class="accent-brass" value={true} bind:group={named} />
    <span><strong>one reader.</strong> An address of their own, to be renewed or taken back without the others.</span
    ></label
  >
  {#if named}
    <Field label="Who it is"><Input bind:value={name} maxlength={100} placeholder="Ida Moe" /></Field>
    <Field label="Mail address, to invite them"><Input bind:value={mail} maxlength={200} type="email" /></Field>
    <Field label="Password their program has to give; empty for none"
      ><Input bind:value={password} maxlength={200} autocomplete="new-password" /></Field
    >
  {/if}
  <p class="text-soft">
    The address is shown once. Only a digest of it is kept, so it can be renewed, but not shown again.
  </p>
  {#snippet actions()}
    <Action kind="main" onclick={() => void give()} disabled={named && !name.trim()}
      >{named ? `Make an address for ${name.trim() || 'them'}` : 'Make an address for everybody'}</Action
    >
  {/snippet}
</Sheet>
