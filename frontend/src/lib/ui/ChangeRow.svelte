<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import Bank from '$lib/ui/Bank.svelte';

  /** A change in two banks, with what it is in the channel between them. */
  const { change }: { change: Schemas['ChangeOut'] | undefined } = $props();

  const PUSHED: Record<string, string> = {
    waiting: 'waits to be pushed',
    sending: 'on its way',
    pushed: 'pushed there',
    refused: 'refused there',
    conflict: 'in conflict there',
    dropped: 'theirs was taken',
  };
  const GLYPHS = { added: '+', changed: '≠', removed: '−' } as const;
  const INKS = { added: 'text-added', changed: 'text-changed', removed: 'text-removed' } as const;
</script>

<div
  role="listitem"
  class="border-line flex h-full items-center border-b px-4 text-[13px] {change?.held ? 'opacity-60' : ''}"
>
  {#if change}
    <Bank entry={change.before} differs={change.differs} nothing="not there" struck={change.verb === 'removed'} />
    <div
      class="border-line mx-3 flex w-40 shrink-0 flex-col items-center border-x px-2 text-center text-[12px] leading-4"
    >
      <span class="font-bold {change.held ? 'text-same' : INKS[change.verb]}"
        >{change.held ? '‖ left alone' : `${GLYPHS[change.verb]} ${change.verb}`}</span
      >
      <span class="text-soft w-full truncate" title="{change.calendar} {change.reason}">{change.calendar}</span>
      {#if change.push && !change.held}
        <span class={['refused', 'conflict'].includes(change.push) ? 'text-removed font-bold' : 'text-soft'}
          >{PUSHED[change.push]}</span
        >
      {/if}
    </div>
    <Bank entry={change.after} differs={change.differs} nothing={change.verb === 'removed' ? 'gone' : ''} />
  {:else}<span class="text-soft">…</span>{/if}
</div>
