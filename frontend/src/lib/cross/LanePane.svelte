<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query';
  import Months from '$lib/cross/Months.svelte';
  import Action from '$lib/ui/Action.svelte';
  import { answer, client } from '$lib/api/client';
  import { refreshAll } from '$lib/api/queries';
  import { attempt } from '$lib/state/attempt.svelte';
  import { notices } from '$lib/state/notice.svelte';
  import { counted } from '$lib/ui/words';
  import { lines, type Lane } from '$lib/cross/words';

  /** All that is known of one lane: why it stands as it does, what it carried, and both ends month by month. */
  const { crossing, lane }: { crossing: number; lane: Lane } = $props();
  const queries = useQueryClient();

  /** The calendar is parted: each of its lanes takes what its own filter says. */
  async function part(): Promise<void> {
    await attempt(async () => {
      const params = { path: { crossing_id: crossing, lane_id: lane.id } };
      await answer(client.POST('/api/crossings/{crossing_id}/lanes/{lane_id}/copy', { params }));
      notices.say('There is another lane from this calendar. Say with a filter what goes along each of them.');
      await refreshAll(queries);
    });
  }

  /** What was refused for one reason is tried again. */
  async function again(message: string): Promise<void> {
    await attempt(async () => {
      const body = { message };
      const { count } = await answer(client.POST('/api/conflicts/again', { body }));
      notices.say(`${counted(count, 'entry is', 'entries are')} tried again.`);
      await refreshAll(queries);
    });
  }
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
      {#each lane.refusals as one (one.reason)}
        <li>
          <Action onclick={() => void again(one.reason)}
            >Try the {counted(one.number, 'refused entry', 'refused entries')} again</Action
          >
        </li>
      {/each}
      {#if lane.archive}<li>
          {counted(lane.archived, 'past entry is', 'past entries are')} in the archive
          <a
            class="text-brass underline"
            href="/api/archives/{encodeURIComponent(lane.archive)}"
            download
            data-sveltekit-reload>{lane.archive}</a
          >.
        </li>{/if}
      {#if lane.owner}<li class="text-soft">It belongs to {lane.owner}.</li>{/if}
      <li class="mt-1 flex flex-wrap gap-4">
        <button class="text-brass underline" onclick={() => void part()}>Another lane from this calendar</button>
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
