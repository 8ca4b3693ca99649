<script lang="ts" generics="Row extends { id: number }">
  import type { Snippet } from 'svelte';
  import { rows as byKeys } from '$lib/state/rows';
  import { count } from '$lib/ui/words';

  /** A list of which the first rows are shown, and all of them once somebody asks. */
  type Props = { rows: Row[]; row: Snippet<[Row]>; most?: number };
  const { rows, row, most = 12 }: Props = $props();
  let all = $state(false);
  const shown = $derived(all || rows.length <= most + 2 ? rows : rows.slice(0, most));
</script>

<ul class="ruled" {@attach byKeys()}>
  {#each shown as one (one.id)}{@render row(one)}{/each}
  {#if shown.length < rows.length}
    <li class="py-2">
      <button class="text-brass underline" onclick={() => (all = true)}
        >{count(rows.length - shown.length)} more: show all {count(rows.length)}</button
      >
    </li>
  {/if}
</ul>
