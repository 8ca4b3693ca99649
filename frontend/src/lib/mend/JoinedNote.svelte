<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { count } from '$lib/ui/words';

  /** What becomes of a group beyond the entries that go: what is taken over, what is lost, and what happens otherwise. */
  const { group }: { group: Schemas['DuplicateOut'] } = $props();

  const further = (shown: string[], all: number) =>
    all > shown.length ? ` and ${count(all - shown.length)} more` : '';
</script>

{#snippet times(mark: string, colour: string, said: string, shown: string[], all: number)}
  {#if all}
    <p class="mt-1 flex gap-2">
      <span class="figures {colour}" aria-hidden="true">{mark}</span>
      <span>{said} <span class="figures">{shown.join(' · ')}</span>{further(shown, all)}.</span>
    </p>
  {/if}
{/snippet}

{#if group.taken.length || group.lost_count || group.more_count || group.fewer_count}
  <section class="border-line border-t px-3 py-2 text-[13px]" aria-label="Consequences">
    {#if group.taken.length}
      <p class="flex gap-2">
        <span class="figures text-added" aria-hidden="true">+</span>
        <span>Takes over: {group.taken.join(', ').toLowerCase()}.</span>
      </p>
    {/if}
    {@render times('=', 'text-changed', 'Still happens where another copy does not:', group.more, group.more_count)}
    {@render times('−', 'text-removed', 'No longer happens:', group.fewer, group.fewer_count)}
    {#if group.only_some}<p class="text-soft mt-1">
        Only the first occurrences were compared, because there are very many.
      </p>{/if}
    {#if group.lost_count}
      <p class="text-removed mt-1 font-bold">Lost with the others{further(group.lost, group.lost_count)}</p>
      <ul>
        {#each group.lost as line, k (k)}<li class="truncate" title={line}>{line}</li>{/each}
      </ul>
    {/if}
  </section>
{/if}
