<script lang="ts">
  import Action from '$lib/ui/Action.svelte';
  import Bars from '$lib/share/Bars.svelte';
  import type { Schemas } from '$lib/api/client';
  import { count, lately, octets } from '$lib/ui/words';

  /** A reader: whether they read, how often, and what can be done about their address. */
  type Props = {
    reader: Schemas['ReaderOut'];
    onrenew: () => void;
    onend: () => void;
    onsend: () => void;
    onpassword: () => void;
  };
  const { reader, onrenew, onend, onsend, onpassword }: Props = $props();
  const name = $derived(reader.name || 'everybody who has the address');
  const INK: Record<string, string> = {
    reads: 'text-added',
    'never read': 'text-changed',
    stopped: 'text-changed',
    'taken back': 'text-removed',
    'sent elsewhere': 'text-same',
  };
</script>

<li
  class="border-line grid grid-cols-[minmax(150px,1fr)_110px_186px_230px_350px] items-center gap-4 border-b px-4 py-1.5 text-[13px] max-[1150px]:grid-cols-[1fr_110px_350px]"
>
  <span class="min-w-0"
    ><strong class="block truncate {reader.state === 'taken back' ? 'line-through' : ''}">{name}</strong>
    <span class="text-soft block truncate">{reader.mail}{reader.password ? ' · asks for a password' : ''}</span></span
  >
  <span class="font-bold {INK[reader.state]}">{reader.state}</span>
  <span class="max-[1150px]:hidden"><Bars bars={reader.bars} label="{name}: the last 90 days" /></span>
  <span class="figures text-soft max-[1150px]:hidden"
    >{reader.last
      ? `${lately(reader.last)} · ${count(reader.a_day)} a day · ${octets(reader.octets)}`
      : ''}{reader.refused ? ` · ${count(reader.refused)} refused` : ''}</span
  >
  <span class="flex justify-end gap-1">
    <Action
      onclick={onrenew}
      named="{reader.state === 'taken back' ? 'Give again' : 'Renew'}: {name}"
      hint="another address; the one there is ends at once"
      >{reader.state === 'taken back' ? 'Give again' : 'Renew'}</Action
    >
    {#if reader.state !== 'taken back'}
      {#if reader.name}<Action onclick={onpassword} named="Password: {name}" hint="what a program has to give"
          >Password</Action
        >{/if}
      <Action onclick={onsend} named="Send on: {name}" hint="who comes by this address is sent to another"
        >Send on</Action
      >
      <Action kind="grave" onclick={onend} named="Take back: {name}">Take back</Action>
    {:else}
      <Action onclick={onsend} named="Send on: {name}" hint="who still comes by this address is sent to another"
        >Send on</Action
      >
    {/if}
  </span>
</li>
