<!-- Says of which series not every time is shown: nothing is left out unsaid. -->
<script lang="ts">
  import { count as said } from '$lib/ui/words';

  const { titles }: { titles: string[] } = $props();
  const named = $derived(titles.slice(0, 3).map((title) => `“${title}”`));
</script>

{#if titles.length}
  <p class="border-line text-changed border-b px-4 py-1 text-[13px]" role="status">
    {named.join(', ')}{titles.length > 3 ? ` and ${said(titles.length - 3)} more` : ''}
    {titles.length === 1 ? 'happens too often for all of its' : 'happen too often for all of their'} times to be shown here.
    Look at a shorter span.
  </p>
{/if}
