<script lang="ts">
  import Input from '$lib/ui/Input.svelte';
  import { goto } from '$app/navigation';
  import Action from '$lib/ui/Action.svelte';

  /** One field for any address: what is there is found out on the next page. */
  let address = $state('');
  let field = $state<HTMLInputElement>();

  export function focus(): void {
    field?.focus();
  }

  function look(event: SubmitEvent): void {
    event.preventDefault();
    if (address.trim()) void goto('/connect/add', { state: { address: address.trim() } });
  }
</script>

<form onsubmit={look} class="flex items-center gap-2">
  <Input
    bind:element={field}
    bind:value={address}
    aria-label="Address of a calendar server, a feed, a web page that links to one, or your email address there"
    placeholder="Address of a calendar server, a feed, a web page that links to one, or your email address there"
    autocomplete="off"
    spellcheck="false"
    class="min-w-0 flex-1"
  />
  <Action kind="main" submit disabled={!address.trim()}>Connect…</Action>
  <Action href="/connect/sheet">By a sheet</Action>
  <Action href="/connect/catalogue">Catalogue of open feeds</Action>
</form>
