<script lang="ts">
  import Months from '$lib/cross/Months.svelte';
  import { lines, type Lane } from '$lib/cross/words';

  /** All that is known of one lane: why it stands as it does, what it carried, and both ends month by month. */
  const { crossing, lane }: { crossing: number; lane: Lane } = $props();
</script>

<section
  class="border-ink max-h-[40%] shrink-0 overflow-y-auto border-t-2 px-4 py-2 text-[13px]"
  aria-label="The lane"
  tabindex="-1"
  data-part
>
  <h2 class="text-base font-bold">{lane.source_account} · {lane.source} → {lane.target_account} · {lane.target}</h2>
  <div class="flex gap-8 max-[900px]:flex-col">
    <ul class="min-w-0 flex-1">
      {#each lines(lane) as line (line)}<li>{line}</li>{:else}<li class="text-soft">
          Nothing is known of it yet. Rehearse to see what would be carried, and what is lost.
        </li>{/each}
      {#if lane.owner}<li class="text-soft">It belongs to {lane.owner}.</li>{/if}
      <li class="mt-1 flex flex-wrap gap-4">
        {#if lane.proposal}<a class="text-brass underline" href="/mend/{lane.proposal}">Review what would be carried</a
          >{/if}
        {#if lane.verified_at}<a class="text-brass underline" href="/cross/{crossing}/differences?lane={lane.id}"
            >Its differences</a
          >{/if}
        {#each lane.batches as batch (batch)}<a class="text-brass underline" href="/logbook/{batch}">Batch {batch}</a
          >{/each}
      </li>
    </ul>
    <div class="min-w-0 flex-1">
      {#if lane.verified_at}<Months {crossing} lane={lane.id} />{/if}
    </div>
  </div>
</section>
