<script lang="ts">
  import { reach } from '$lib/api/reach.svelte';
</script>

<!-- Laid over the page, so that nothing moves away from under the pointer. -->
{#if reach.lost}
  <p
    role="alert"
    class="border-removed bg-sheet pointer-events-none fixed inset-x-0 top-0 z-30 border-b-2 px-4 py-2 shadow-lg"
  >
    <strong class="text-removed">Date Bridge does not answer.</strong> This page may be out of date, and nothing can be changed.
    If Date Bridge was stopped, start it again: the page continues by itself.
  </p>
{/if}
