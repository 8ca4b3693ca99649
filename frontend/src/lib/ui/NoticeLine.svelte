<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query';
  import { undoLast } from '$lib/state/undo';
  import { notices } from '$lib/state/notice.svelte';
  const queries = useQueryClient();
</script>

<div role="status" aria-live="polite" class="shrink-0">
  {#if notices.text}
    <div
      class="border-line flex items-center gap-3 border-t px-4 py-1.5 text-sm {notices.tone === 'wrong'
        ? 'text-removed'
        : 'text-ink'} bg-sheet"
    >
      <span aria-hidden="true">{notices.tone === 'wrong' ? '✕' : '✓'}</span>
      <span class="flex-1">{notices.text}</span>
      {#if notices.undoable}
        <button class="text-brass px-2 underline" onclick={() => void undoLast(queries)}>Undo</button>
      {/if}
      <button class="hover:bg-shade rounded-[2px] px-2" onclick={() => notices.clear()}>Close</button>
    </div>
  {/if}
</div>
