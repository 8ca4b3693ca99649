<script lang="ts">
  import type { Key } from '$lib/api/queries';
  import PagedList from '$lib/ui/PagedList.svelte';
  import type { Schemas } from '$lib/api/client';

  /** Occurrences in two banks, with what joins or parts them in the channel. */
  type Page = Schemas['DifferencePage'];
  type Props = {
    label: string;
    left: string;
    right: string;
    queryKey: Key;
    fetchPage: (offset: number, limit: number) => Promise<Page>;
    nothing: string;
    /** What is said of what is on one side alone. */
    alone?: { left: string; right: string };
  };
  const {
    label,
    left,
    right,
    queryKey,
    fetchPage,
    nothing,
    alone = { left: 'only left', right: 'only right' },
  }: Props = $props();
  const SAYS = $derived({
    same: { glyph: '=', ink: 'text-same', says: 'same' },
    changed: { glyph: '≠', ink: 'text-changed', says: 'changed' },
    missing: { glyph: '−', ink: 'text-removed', says: alone.left },
    extra: { glyph: '+', ink: 'text-added', says: alone.right },
  });
</script>

{#snippet bank(side: Schemas['BankOut'] | null, title: string)}
  <span class="min-w-0 flex-1">
    {#if side}
      <span class="figures block truncate">{side.day} <strong>{side.hours}</strong></span>
      <span class="text-soft figures block truncate text-[12px]"
        >{side.there ? `${side.there} on the other clock` : ''}{side.there && title ? ' · ' : ''}{title}</span
      >
    {:else}<em class="text-soft">not there</em>{/if}
  </span>
{/snippet}

<div class="border-ink gutter flex overflow-hidden border-b px-4 py-1 text-[13px] font-bold" aria-hidden="true">
  <span class="min-w-0 flex-1 truncate">{left}</span><span class="w-40"></span><span
    class="min-w-0 flex-1 truncate pl-4">{right}</span
  >
</div>
<PagedList role="list" {label} {queryKey} {fetchPage} rowHeight={44}>
  {#snippet row(one, _at)}
    <div role="listitem" class="border-line flex h-full items-center border-b px-4 text-[13px]">
      {#if one}
        {@const said = SAYS[one.verdict]}
        {@render bank(one.left, one.title)}
        <span class="border-line mx-3 w-40 shrink-0 border-x px-2 text-center text-[12px] leading-4">
          <strong class="{said.ink} block">{said.glyph} {one.moved || said.says}</strong>
          <span class="text-soft block truncate" title={one.fields.join(', ')}
            >{one.clock_change === 'twice'
              ? 'the hour comes twice'
              : one.clock_change === 'skipped'
                ? 'the hour is skipped'
                : one.fields.join(', ')}</span
          >
        </span>
        {@render bank(one.right, one.title)}
      {:else}<span class="text-soft">…</span>{/if}
    </div>
  {/snippet}
  {#snippet empty()}<p class="text-soft p-4">{nothing}</p>{/snippet}
</PagedList>
