<script lang="ts">
  import type { Snippet } from 'svelte';
  import { cap } from '$lib/state/keys.svelte';

  type Props = {
    onclick?: () => void;
    href?: string;
    kind?: 'plain' | 'main' | 'grave';
    disabled?: boolean;
    hint?: string;
    /** What the same button is called beside others like it: what it is about is named. */
    named?: string;
    key?: string;
    submit?: boolean;
    children: Snippet;
  };
  /** A button, or a link that looks like one; with the key that does the same. */
  const {
    onclick,
    href,
    kind = 'plain',
    disabled = false,
    hint = '',
    named = '',
    key = '',
    submit = false,
    children,
  }: Props = $props();

  const looks = {
    plain: 'border-line bg-sheet text-ink hover:bg-shade',
    main: 'border-brass bg-brass text-brass-ink hover:brightness-110',
    grave: 'border-removed bg-sheet text-removed hover:bg-removed hover:text-paper',
  };
  const look = $derived(
    `inline-flex h-control items-center justify-center gap-2 border px-3 text-sm font-medium whitespace-nowrap ${looks[kind]}`,
  );
</script>

{#snippet inside()}
  {@render children()}
  {#if key}<kbd class="figures border border-current px-1 text-[11px] leading-4 opacity-80">{cap(key)}</kbd>{/if}
{/snippet}

{#if href}
  <a
    {href}
    {onclick}
    data-main={kind === 'main' ? '' : undefined}
    title={hint || undefined}
    aria-label={named || undefined}
    aria-keyshortcuts={key || undefined}
    data-action
    class={look}>{@render inside()}</a
  >
{:else}
  <button
    type={submit ? 'submit' : 'button'}
    {onclick}
    {disabled}
    data-main={kind === 'main' ? '' : undefined}
    data-acts={key === 'Escape' || key === 'Esc' ? undefined : ''}
    title={hint || undefined}
    aria-label={named || undefined}
    aria-keyshortcuts={key || undefined}
    data-action
    class="{look} disabled:cursor-not-allowed disabled:opacity-50">{@render inside()}</button
  >
{/if}
