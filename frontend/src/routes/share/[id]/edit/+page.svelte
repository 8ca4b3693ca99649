<script lang="ts">
  import { page } from '$app/state';
  import ShareForm from '$lib/share/ShareForm.svelte';
  import { sharesQuery, wantedOf } from '$lib/share/share';

  /** Contents of a share, said otherwise; its addresses stay. */
  const shares = sharesQuery();
  const share = $derived(shares.data?.shares.find((one) => one.id === Number(page.params.id)));
</script>

<svelte:head><title>Contents of a share · Date Bridge</title></svelte:head>
{#if share}
  {#key share.id}<ShareForm start={wantedOf(share)} share={share.id} />{/key}
{:else if shares.data}
  <p class="px-4 py-6">This share no longer exists. <a class="underline" href="/share">All shares</a></p>
{:else}<p class="text-soft px-4 py-6" role="status">Reading the share…</p>{/if}
