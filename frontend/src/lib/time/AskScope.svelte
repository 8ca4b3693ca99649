<script lang="ts">
  import Action from '$lib/ui/Action.svelte';
  import Sheet from '$lib/ui/Sheet.svelte';
  import { counted } from '$lib/ui/words';
  import type { Piece } from './layout';

  /** How much of a series is to be moved or stretched. */
  type Props = {
    piece: Piece;
    begin: number;
    end: number;
    onclose: () => void;
    onchoose: (scope: 'one' | 'following' | 'all') => void;
  };
  const { piece, begin, end, onclose, onchoose }: Props = $props();
  const by = $derived(
    Math.abs(end) % 1440 === 0 ? counted(Math.abs(end) / 1440, 'day', 'days') : `${Math.abs(end)} min`,
  );
</script>

<Sheet label="Move a series" {onclose}>
  <h2 class="mb-2 text-lg font-bold">“{piece.title}” is a series</h2>
  <p class="mb-2">
    {begin === end ? 'Move' : 'Stretch'}
    {piece.date}, {piece.hours || 'whole day'}, by {by}
    {end < 0 ? 'back' : 'on'}: this one, or more of the series? Changed occurrences keep what was changed.
  </p>
  {#snippet actions()}
    <Action kind="main" onclick={() => onchoose('one')}>This one</Action>
    <Action onclick={() => onchoose('following')}>This and following</Action>
    <Action onclick={() => onchoose('all')}>All of the series</Action>
  {/snippet}
</Sheet>
