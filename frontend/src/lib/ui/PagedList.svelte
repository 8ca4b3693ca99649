<script lang="ts" generics="Row">
  import { createQueries, keepPreviousData, useQueryClient } from '@tanstack/svelte-query';
  import { createVirtualizer } from '@tanstack/svelte-virtual';
  import { tick, untrack, type Snippet } from 'svelte';
  import { walking } from '$lib/state/focus';
  import { get } from 'svelte/store';

  /** Any number of rows of one height, drawn only where they are seen and fetched a page at a time. */
  type Page = { total: number; rows: Row[] };
  type Props = {
    queryKey: unknown[];
    fetchPage: (offset: number, limit: number) => Promise<Page>;
    rowHeight: number;
    row: Snippet<[Row | undefined, number]>;
    empty: Snippet;
    role: 'list' | 'rowgroup';
    label?: string;
    enabled?: boolean;
    total?: number;
  };
  let {
    queryKey,
    fetchPage,
    rowHeight,
    row,
    empty,
    role,
    label,
    enabled = true,
    total = $bindable(0),
  }: Props = $props();

  const SIZE = 100;
  const queries = useQueryClient();
  const ask = (page: number) => ({
    queryKey: [...queryKey, page],
    queryFn: () => fetchPage(page * SIZE, SIZE),
  });
  let scroller: HTMLDivElement | undefined = $state();
  const virtualizer = createVirtualizer<HTMLDivElement, HTMLDivElement>({
    count: 0,
    getScrollElement: () => scroller ?? null,
    estimateSize: () => rowHeight,
    overscan: 14,
  });

  const items = $derived($virtualizer.getVirtualItems());
  const wanted = $derived.by(() => {
    const first = Math.floor((items[0]?.index ?? 0) / SIZE);
    const last = Math.floor((items[items.length - 1]?.index ?? 0) / SIZE);
    return Array.from({ length: last - first + 1 }, (_, k) => first + k);
  });
  const pages = createQueries(() => ({
    queries: wanted.map((page) => ({
      ...ask(page),
      enabled,
      placeholderData: page === 0 ? keepPreviousData : undefined,
    })),
  }));
  const found = $derived(new Map(wanted.map((page, k) => [page, pages[k]?.data])));
  const failure = $derived(pages.find((page) => page.isError)?.error);
  const loading = $derived(pages.length > 0 && pages.every((page) => page.isPending));

  $effect(() => {
    const known = pages.find((page) => page.data)?.data?.total;
    if (known !== undefined) total = known;
  });
  $effect(() => {
    const count = total;
    void scroller;
    untrack(() => get(virtualizer).setOptions({ count, getScrollElement: () => scroller ?? null }));
  });
  $effect(() => {
    void queryKey.join();
    untrack(() => scroller?.scrollTo({ top: 0 }));
  });

  /** When the first rows of what is asked for now are there, and how many they are. */
  export async function arrived(): Promise<void> {
    await queries.ensureQueryData(ask(0)).catch(() => undefined);
    await tick();
  }

  export function rowAt(index: number): Row | undefined {
    return found.get(Math.floor(index / SIZE))?.rows[index % SIZE];
  }

  export function reveal(index: number, align: 'auto' | 'start' = 'auto'): void {
    get(virtualizer).scrollToIndex(index, { align });
  }

  export function perScreen(): number {
    return Math.max(1, Math.floor((scroller?.clientHeight ?? 300) / rowHeight) - 1);
  }
</script>

<!-- svelte-ignore a11y_no_noninteractive_tabindex (a list that scrolls must be reached by key; a grid has its own keys) -->
<div
  bind:this={scroller}
  class="gutter min-h-0 flex-1 overflow-x-hidden overflow-y-auto"
  role={total > 0 || role === 'rowgroup' ? role : undefined}
  aria-label={total > 0 ? label : undefined}
  tabindex={role === 'list' ? 0 : undefined}
  data-rest={role === 'list' ? '' : undefined}
  {@attach role === 'list' ? walking('button, a') : null}
>
  {#if failure}
    <p class="text-removed p-6">{failure.message}</p>
  {:else if loading}
    <p class="text-soft p-6" role="status">Fetching…</p>
  {:else if total === 0}
    {@render empty()}
  {:else}
    <div style:height="{$virtualizer.getTotalSize()}px" class="relative" role="presentation">
      {#each items as item (item.key)}
        <div
          class="absolute inset-x-0 top-0"
          style:height="{rowHeight}px"
          style:transform="translateY({item.start}px)"
          role="presentation"
        >
          {@render row(rowAt(item.index), item.index)}
        </div>
      {/each}
    </div>
  {/if}
</div>
