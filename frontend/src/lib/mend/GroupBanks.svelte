<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { moment } from '$lib/ui/words';
  import Swatch from '$lib/ui/Swatch.svelte';

  /** A group in banks: what stays on the left, what goes on the right, and in the channel in what they differ. */
  type Props = { group: Schemas['DuplicateOut']; calendars: Map<number, Schemas['CalendarOut']> };
  const { group, calendars }: Props = $props();
  const FATES = {
    stays: { says: 'stays', ink: 'text-added', glyph: '✓' },
    goes: { says: 'goes', ink: 'text-removed', glyph: '−' },
    'read only': { says: 'read-only: stays', ink: 'text-same', glyph: '‖' },
    open: { says: 'unchanged: decide which is right', ink: 'text-changed', glyph: '?' },
  } as const;
  const columns = $derived(
    `minmax(220px, 1fr) 150px ${group.members
      .slice(1)
      .map(() => 'minmax(220px, 1fr)')
      .join(' ')}`,
  );
  const shown = $derived(group.fields.filter((field) => !field.bookkeeping));
  const kept = $derived(group.fields.filter((field) => field.bookkeeping));
</script>

{#snippet value(values: string[], label: string)}
  {#each values as one, k (k)}<span class="block break-words whitespace-pre-wrap">{one}</span>{:else}<em
      class="text-soft">no {label.toLowerCase()}</em
    >{/each}
{/snippet}

{#snippet rows(fields: Schemas['AlignedOut'][])}
  {#each fields as field (field.label)}
    <tr
      class="grid {field.same || field.bookkeeping ? '' : 'bg-picked'} border-line border-b"
      style:grid-template-columns={columns}
    >
      {#each field.values as said, k (k)}
        <td class="min-w-0 px-3 py-1">{@render value(said, field.label)}</td>
        {#if k === 0}
          <th scope="row" class="border-line border-x px-2 py-1 text-center text-[12px] font-normal">
            <span class={field.same || field.bookkeeping ? 'text-soft' : 'text-changed font-bold'}
              >{field.same ? '=' : '≠'} {field.label}</span
            >
          </th>
        {/if}
      {/each}
    </tr>
  {/each}
{/snippet}

<table class="block min-w-fit text-[13px]">
  <thead class="block">
    <tr class="border-ink grid border-b" style:grid-template-columns={columns}>
      {#each group.members as member, k (member.id)}
        {@const calendar = calendars.get(member.calendar_id)}
        {@const fate = FATES[member.fate]}
        <th scope="col" class="min-w-0 px-3 py-1.5 text-left font-normal">
          <span class="flex items-center gap-2">
            {#if calendar}<Swatch {calendar} />{/if}
            <strong class="truncate">{calendar?.label ?? '…'}</strong>
            <span class="{fate.ink} ml-auto font-bold whitespace-nowrap">{fate.glyph} {fate.says}</span>
          </span>
          <span class="text-soft block truncate text-[12px]"
            >{calendar?.state}{member.changed ? ` · last changed ${moment(member.changed)}` : ''}</span
          >
        </th>
        {#if k === 0}<td class="border-line text-soft border-x px-2 py-1.5 text-center text-[12px]"
            >{group.members.length > 2 ? `${group.members.length} entries` : 'against'}</td
          >{/if}
      {/each}
    </tr>
  </thead>
  <tbody class="block">
    {@render rows(shown)}
  </tbody>
  {#if kept.length}
    <tbody class="text-soft block">
      {@render rows(kept)}
    </tbody>
  {/if}
</table>
