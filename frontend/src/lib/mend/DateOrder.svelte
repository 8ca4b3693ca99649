<script lang="ts">
  import Action from '$lib/ui/Action.svelte';
  import Sheet from '$lib/ui/Sheet.svelte';
  import { importing } from '$lib/state/imports.svelte';

  /** Which comes first in a table's dates, where neither the table nor what is here tells it. */
  const { file, example }: { file: File; example: string } = $props();

  const [first, second] = $derived(example.split(/\D+/, 2).map(Number) as [number, number]);
  const MONTHS = 'January February March April May June July August September October November December'.split(' ');
  const spelt = (day: number, month: number) => `${day} ${MONTHS[month - 1]}`;
</script>

<Sheet label="Day or month first" onclose={() => (importing.dates = null)}>
  <h2 class="mb-2 text-lg font-bold">What is {example} in {file.name}?</h2>
  <p>All dates in the table can be read in two ways, and no entry here shows which is meant.</p>
  {#snippet actions()}
    <Action kind="main" onclick={() => void importing.sheet(file, 'day')}>
      {spelt(first, second)}: the day comes first
    </Action>
    <Action onclick={() => void importing.sheet(file, 'month')}>{spelt(second, first)}: the month comes first</Action>
  {/snippet}
</Sheet>
