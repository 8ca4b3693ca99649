<script lang="ts" generics="Row">
  import { key, type Key } from '$lib/api/queries';
  import { createQueries, keepPreviousData, useQueryClient } from '@tanstack/svelte-query';
  import { createVirtualizer } from '@tanstack/svelte-virtual';
  import { tick, untrack, type Snippet } from 'svelte';
  import { printing } from '$lib/state/printing.svelte';
  import { reach } from '$lib/api/reach.svelte';
  import { rows } from '$lib/state/rows';
  import { get } from 'svelte/store';

  /** Any number of rows of one height, drawn only where they are seen and fetched a page at a time. */
  type Page = { total: number; rows: Row[] };
  type Props = {
    queryKey: Key;
    fetchPage: (offset: number, limit: number) => Promise<Page>;
    rowHeight: number;
    row: Snippet<[Row | undefined, number]>;
    empty: Snippet;
    role: 'list' | 'rowgroup';
    label?: string;
    enabled?: boolean;
    total?: number;
    /** Whether `total` is what is asked for now. */
    known?: boolean;
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
    known = $bindable(false),
  }: Props = $props();

  const SIZE = 100;
  const queries = useQueryClient();
  const ask = (page: number) => ({
    queryKey: key(...queryKey, page),
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
  // A list that is there stays, also where one goes to rows that are still on their way.
  const loading = $derived(total === 0 && pages.length > 0 && pages.every((page) => page.isPending));

  const old = $derived(reach.lost || pages.some((page) => page.isPlaceholderData));
  $effect(() => {
    const counted = pages.find((page) => page.data)?.data?.total;
    if (counted !== undefined) total = counted;
    known = counted !== undefined && !failure && !reach.lost;
  });
  $effect(() => {
    const count = total;
    void scroller;
    untrack(() => get(virtualizer).setOptions({ count, getScrollElement: () => scroller ?? null }));
  });
  /** What is asked for, as a text: a key made anew that says the same is no other list. */
  const asked = $derived(JSON.stringify(queryKey));
  $effect(() => {
    void asked;
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

  /** Whether a row is drawn now. */
  export function draws(index: number): boolean {
    return items.some((item) => item.index === index);
  }

  export function reveal(index: number, align: 'auto' | 'start' = 'auto'): void {
    get(virtualizer).scrollToIndex(index, { align });
  }

  /** All rows, or as many as are printed, while they are printed. */
  const MOST_PRINTED = 2000;
  let printed = $state<Row[] | null>(null);
  $effect(() =>
    printing.lists(async () => {
      const all: Row[] = [];
      while (all.length < Math.min(total, MOST_PRINTED)) {
        const page = await fetchPage(all.length, SIZE);
        if (!page.rows.length) break;
        all.push(...page.rows);
      }
      printed = all;
    }),
  );
  $effect(() => {
    if (!printing.on) printed = null;
  });

  /** The row that is to have the focus as soon as it is there. */
  let awaited = $state<number | null>(null);
  function go(index: number): void {
    awaited = index;
    reveal(index);
  }
  $effect(() => {
    const index = awaited;
    if (index === null || rowAt(index) === undefined || !items.some((item) => item.index === index)) return;
    untrack(() => (awaited = null));
    void tick().then(() => {
      const held = document.activeElement;
      if (held !== document.body && !scroller?.contains(held)) return; // whoever went on meanwhile stays there
      const row = scroller?.querySelector<HTMLElement>(`[data-index="${index}"] [role=listitem]`);
      const things = row?.querySelectorAll<HTMLElement>('a[href], button');
      (things?.length === 1 ? things[0] : row)?.focus();
    });
  });

  export function perScreen(): number {
    return Math.max(1, Math.floor((scroller?.clientHeight ?? 300) / rowHeight) - 1);
  }
</script>

<!-- svelte-ignore a11y_no_noninteractive_tabindex (a list that scrolls must be reached by key; a grid has its own keys) -->
<div
  bind:this={scroller}
  class="gutter print-body min-h-0 flex-1 overflow-x-hidden overflow-y-auto"
  role={total > 0 || role === 'rowgroup' ? role : undefined}
  aria-label={total > 0 ? label : undefined}
  tabindex={role === 'list' ? 0 : undefined}
  data-rest={role === 'list' ? '' : undefined}
  {@attach role === 'list' ? rows('[role=listitem]', { go, count: () => total, screen: perScreen }) : null}
>
  {#if failure}
    <p class="text-removed p-6">{failure.message}</p>
  {:else if loading}
    <p class="text-soft p-6" role="status">Fetching…</p>
  {:else if total === 0}
    {@render empty()}
  {:else if printed}
    {#each printed as one, index (index)}
      <div class="printed" style:height="{rowHeight}px" role="presentation">{@render row(one, index)}</div>
    {/each}
    {#if total > printed.length}
      <p>The first {printed.length} of {total}. Filter the list, or export it as a table.</p>
    {/if}
  {:else}
    <div style:height="{$virtualizer.getTotalSize()}px" class="relative {old ? 'old' : ''}" role="presentation">
      {#each items as item (item.key)}
        <div
          class="absolute inset-x-0 top-0"
          data-index={item.index}
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

<style>
  /* What was there before, while what is asked for now is long in coming. */
  .old {
    opacity: 0.5;
    transition: opacity 0s 0.4s;
  }
</style>
