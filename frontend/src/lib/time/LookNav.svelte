<script lang="ts">
  import { page } from '$app/state';
  import type { Snippet } from 'svelte';

  /** The ways to look: as a table, in time, at what overlaps, at two sides of the same days. */
  const { children }: { children?: Snippet } = $props();
  const WAYS = [
    { href: '/look', name: 'Table', what: 'every entry, with filters' },
    { href: '/look/time', name: 'Time', what: 'layers over each other: days, weeks, months, years' },
    { href: '/look/overlaps', name: 'Overlaps', what: 'what overlaps' },
    { href: '/look/sides', name: 'Two sides', what: 'the same days of two calendars, against each other' },
  ];
</script>

<nav aria-label="Ways to look" class="flex h-10 shrink-0 items-center gap-5 px-4">
  {#each WAYS as way (way.href)}
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
