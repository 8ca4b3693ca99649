<script lang="ts">
  import type { Schemas } from '$lib/api/client';

  /** One feature in two banks: as it was sent, and as it came back; in the channel between them what became of it. */
  type Feature = Schemas['FeatureOut'];
  const { row, beside, wide }: { row: Feature; beside?: Feature; wide: boolean } = $props();
  const GLYPH: Record<Feature['verdict'], string> = {
    kept: '=',
    rewritten: '≠',
    dropped: '−',
    refused: '×',
    'not tried': '…',
  };
  const INK: Record<Feature['verdict'], string> = {
    kept: 'text-same',
    rewritten: 'text-changed',
    dropped: 'text-removed',
    refused: 'text-removed',
    'not tried': 'text-soft',
  };
  const HARM = { breaks: 'text-removed', alters: 'text-changed', untidy: 'text-same' };
</script>

{#snippet lines(some: string[], nothing: string)}
  <span class="figures block min-w-0 flex-1 px-2 text-[12px] break-words">
    {#each some as line, k (k)}<span class="block">{line}</span>{:else}<em class="text-soft">{nothing}</em>{/each}
  </span>
{/snippet}

<div class="border-line flex border-b px-4 py-1 text-[13px]" role="group" aria-label="{row.words}: {row.verdict}">
  <span class="w-72 shrink-0 pr-3">
    <span class="block font-medium">{row.words}</span>
    {#if row.verdict !== 'kept' || row.before}
      <span class="block text-[12px]"
        ><span class={HARM[row.harm]}>{row.verdict === 'kept' ? '' : row.harm}</span>
        {#if row.before}<strong class="text-changed">{row.before} before</strong>{/if}</span
      >
    {/if}
    {#if row.declared}
      <span class="block text-[12px] {row.contradicts ? 'text-changed font-bold' : 'text-soft'}"
        >says: {row.declared}{row.contradicts ? ', and does otherwise' : ''}</span
      >
    {/if}
  </span>
  {@render lines(row.sent, 'a plain entry')}
  <span class="border-line w-32 shrink-0 border-x px-1 text-center">
    <span class="block font-bold {INK[row.verdict]}">{GLYPH[row.verdict]} {row.verdict}</span>
  </span>
  <span class="min-w-0 flex-1">
    {#if row.verdict === 'refused' || row.verdict === 'not tried'}
      <span class="block px-2">{row.reason || 'no reason given'}</span>
      {#if row.got.length}{@render lines(row.got, '')}{/if}
    {:else}
      {@render lines(row.got, 'nothing of it')}
      {#if row.reason}<span class="text-changed block px-2">{row.reason}</span>{/if}
    {/if}
  </span>
  {#if wide}
    <span class="border-line w-28 shrink-0 border-l px-1 text-center font-bold {beside ? INK[beside.verdict] : ''}"
      >{beside ? `${GLYPH[beside.verdict]} ${beside.verdict}` : ''}</span
    >
  {/if}
</div>
