<script lang="ts">
  import { Button } from 'flowbite-svelte';
  import type { Snippet } from 'svelte';

  type Props = {
    onclick?: () => void;
    href?: string;
    kind?: 'plain' | 'main' | 'grave';
    disabled?: boolean;
    hint?: string;
    key?: string;
    submit?: boolean;
    children: Snippet;
  };
  const {
    onclick,
    href,
    kind = 'plain',
    disabled = false,
    hint = '',
    key = '',
    submit = false,
    children,
  }: Props = $props();

  const looks = {
    plain: 'border border-line bg-sheet text-ink hover:bg-shade hover:text-ink dark:bg-sheet dark:hover:bg-shade',
    main: 'border border-brass bg-brass text-brass-ink hover:bg-brass hover:brightness-110 dark:bg-brass dark:hover:bg-brass',
    grave:
      'border border-removed bg-sheet text-removed hover:bg-removed hover:text-paper dark:bg-sheet dark:hover:bg-removed',
  };
</script>

<Button
  type={submit ? 'submit' : 'button'}
  {onclick}
  {href}
  {disabled}
  title={hint || undefined}
  aria-keyshortcuts={key || undefined}
  class="h-8 gap-2 rounded-[2px] px-3 py-0 text-sm font-medium whitespace-nowrap shadow-none focus-within:ring-0 focus:ring-0 disabled:cursor-not-allowed {looks[
    kind
  ]}"
>
  {@render children()}
  {#if key}<kbd class="figures rounded-[2px] border border-current px-1 text-[11px] leading-4 opacity-80">{key}</kbd
    >{/if}
</Button>
