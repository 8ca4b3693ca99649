<script lang="ts">
  import { page } from '$app/state';
  import type { Snippet } from 'svelte';

  /** The pages of a stage, one beside the other; what belongs to the one that is open stands at the end. */
  type Props = { label: string; ways: readonly { href: string; name: string; what: string }[]; children?: Snippet };
  const { label, ways, children }: Props = $props();
</script>

<nav aria-label={label} class="flex min-h-10 shrink-0 flex-wrap items-center gap-x-5 px-4 max-[760px]:gap-x-3">
  {#each ways as way (way.href)}
    {@const here = page.url.pathname === way.href}
    <a
      href={way.href}
      title={way.what}
      aria-current={here ? 'page' : undefined}
      class="border-b-2 pb-0.5 {here ? 'border-brass font-bold' : 'text-soft hover:text-ink border-transparent'}"
      >{way.name}</a
    >
  {/each}
  {#if children}<div class="ml-auto flex items-center gap-3 text-[13px]">{@render children()}</div>{/if}
</nav>
