<script lang="ts">
  import Action from '$lib/ui/Action.svelte';
  import Bars from '$lib/share/Bars.svelte';
  import type { Schemas } from '$lib/api/client';
  import { count, lately, bytes } from '$lib/ui/words';

  /** A reader: whether they read, how often, and what can be done about their address. */
  type Props = {
    reader: Schemas['ReaderOut'];
    onrenew: () => void;
    onend: () => void;
    onsend: () => void;
    onpassword: () => void;
  };
  const { reader, onrenew, onend, onsend, onpassword }: Props = $props();
  const name = $derived(reader.name || 'everyone with the address');
  const INK: Record<string, string> = {
    reads: 'text-added',
    'never read': 'text-changed',
    inactive: 'text-changed',
    revoked: 'text-removed',
    redirected: 'text-same',
  };
</script>

<li
  class="border-line grid grid-cols-[minmax(150px,1fr)_110px_186px_230px_350px] items-center gap-4 border-b px-4 py-1.5 text-[13px] max-[1150px]:grid-cols-[1fr_110px_350px]"
>
  <span class="min-w-0"
    ><strong class="block truncate {reader.state === 'revoked' ? 'line-through' : ''}">{name}</strong>
    <span class="text-soft block truncate">{reader.mail}{reader.password ? ' · password required' : ''}</span></span
  >
  <span class="font-bold {INK[reader.state]}">{reader.state}</span>
  <span class="max-[1150px]:hidden"><Bars bars={reader.bars} label="{name}: the last 90 days" /></span>
  <span class="figures text-soft max-[1150px]:hidden"
    >{reader.last ? `${lately(reader.last)} · ${count(reader.a_day)} a day · ${bytes(reader.size)}` : ''}{reader.refused
      ? ` · ${count(reader.refused)} refused`
      : ''}</span
  >
  <span class="flex justify-end gap-1">
    <Action onclick={onrenew} named="Renew: {name}" hint="creates a new address; the present one stops working at once"
      >Renew</Action
    >
    {#if reader.state !== 'revoked'}
      {#if reader.name}<Action onclick={onpassword} named="Password: {name}" hint="set or remove the password"
          >Password</Action
        >{/if}
      <Action onclick={onsend} named="Redirect: {name}" hint="redirects this address to another">Redirect</Action>
      <Action kind="grave" onclick={onend} named="Revoke: {name}">Revoke</Action>
    {:else}
      <Action onclick={onsend} named="Redirect: {name}" hint="redirects this address to another">Redirect</Action>
    {/if}
  </span>
</li>
