<script lang="ts">
  import { page } from '$app/state';
  import ShareForm from '$lib/share/ShareForm.svelte';
  import { blank } from '$lib/share/share';

  /** A share being made; the address may say of which calendars. */
  const first = page.url.searchParams;
  const start = {
    ...blank(),
    calendars: (first.get('calendars') ?? '').split(',').map(Number).filter(Boolean),
    filter: first.get('filter') ?? '',
    title: first.get('title') ?? '',
  };
</script>

<svelte:head><title>New share · Date Bridge</title></svelte:head>
<ShareForm {start} />
