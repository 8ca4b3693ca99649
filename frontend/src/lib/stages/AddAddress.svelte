<script lang="ts">
  import { goto } from '$app/navigation';
  import Action from '$lib/parts/Action.svelte';

  /** One field for any address: what is there is found out on the next page. */
  let address = $state('');
  let field: HTMLInputElement;

  export function focus(): void {
    field.focus();
  }

  function look(event: SubmitEvent): void {
    event.preventDefault();
    if (address.trim()) void goto('/connect/add', { state: { address: address.trim() } });
  }
</script>

<form onsubmit={look} class="flex items-center gap-2">
  <input
    bind:this={field}
    bind:value={address}
    aria-label="Address of a calendar server, a feed, or a page that links to one"
    placeholder="Address of a calendar server, a feed, or a page that links to one"
    autocomplete="off"
    spellcheck="false"
    class="bg-paper border-line h-8 min-w-0 flex-1 border px-2"
  />
  <Action kind="main" submit disabled={!address.trim()}>Find out what is there</Action>
  <Action href="/connect/catalogue">Catalogue of open feeds</Action>
</form>
