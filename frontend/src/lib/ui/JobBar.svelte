<script lang="ts">
  import Progressbar from 'flowbite-svelte/Progressbar.svelte';
  import ThemeProvider from 'flowbite-svelte/ThemeProvider.svelte';

  /** How far a job is, drawn. Its script is fetched where a job is shown: the first screen does without it. */
  const { share }: { share: number } = $props();
</script>

<ThemeProvider theme={{ progressbar: { base: 'bg-line rounded-none', inside: 'bg-brass rounded-none' } }}>
  <Progressbar progress={share} size="h-1.5" />
</ThemeProvider>
