<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import Bank from '$lib/ui/Bank.svelte';
  import { counted } from '$lib/ui/words';

  /** A change in two banks, with what it is in the channel between them; `onall` shows every field that differs. */
  type Props = { change: Schemas['ChangeOut'] | undefined; onall?: (change: Schemas['ChangeOut']) => void };
  const { change, onall }: Props = $props();
  /** What the columns do not show: the first of it stands in their place. */
  const SHOWN = ['Title', 'Place', 'Start', 'End', 'Status', 'Rule', 'Zone as written'];
  const told = $derived(change?.fields.find((field) => !SHOWN.includes(field.label)));

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
    <Bank
      entry={change.before}
      differs={change.differs}
      nothing="not there"
      struck={change.verb === 'removed' && !change.held}
      says={told && `${told.label}: ${told.left.join(', ') || 'none'}`}
    />
    <div
      class="border-line mx-3 flex w-40 shrink-0 flex-col items-center border-x px-2 text-center text-[12px] leading-4"
    >
      <span class="font-bold {change.held ? 'text-same' : INKS[change.verb]}"
        >{change.held ? '‖ left unchanged' : `${GLYPHS[change.verb]} ${change.verb}`}</span
      >
      <span class="text-soft w-full truncate" title="{change.calendar} {change.reason}"
        >{change.held ? change.reason : change.calendar}</span
      >
      {#if change.fields.length && onall}
        <button class="text-brass underline" onclick={() => onall(change)}
          >{counted(change.fields.length, 'field', 'fields')}<span class="visually-hidden">
            of {change.after?.what ?? ''}</span
          ></button
        >
      {/if}
      {#if change.push && !change.held}
        <span class={['refused', 'conflict'].includes(change.push) ? 'text-removed font-bold' : 'text-soft'}
          >{PUSHED[change.push]}</span
        >
      {/if}
    </div>
    <Bank
      entry={change.after}
      differs={change.differs}
      nothing={change.held ? 'stays as it is' : change.verb === 'removed' ? 'gone' : ''}
      says={told && `${told.label}: ${told.right.join(', ') || 'none'}`}
    />
  {:else}<span class="text-soft">…</span>{/if}
</div>
