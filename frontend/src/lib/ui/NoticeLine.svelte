<script lang="ts">
  import { notices } from '$lib/state/notice.svelte';
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
      <button class="hover:bg-shade rounded-[2px] px-2" onclick={() => notices.clear()}>Close</button>
    </div>
  {/if}
</div>
