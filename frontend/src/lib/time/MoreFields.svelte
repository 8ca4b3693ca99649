<script lang="ts">
  import type { Fields } from '$lib/api/client';
  import PeopleFields from './PeopleFields.svelte';

  /** What is seldom changed: people, whether time is blocked, privacy, status, links, the way there, attachments. */
  type Props = { fields: Fields; kind: string };
  let { fields = $bindable(), kind }: Props = $props();

  const row = 'mb-2 flex items-center gap-2';
  const name = 'text-soft w-20 shrink-0';
</script>

<div class="mb-2">
  <PeopleFields
    organizer={fields.organizer ?? null}
    attendees={fields.attendees}
    onchange={(organizer, attendees) => {
      [fields.organizer, fields.attendees] = [organizer, attendees];
    }}
  />
</div>
<div class={row}>
  <span class={name}>Time is</span>
  <select
    class="field-small min-w-0"
    aria-label="Busy"
    value={fields.busy ? 'busy' : 'free'}
    onchange={(event) => (fields.busy = event.currentTarget.value === 'busy')}
  >
    <option value="busy">blocked</option><option value="free">free</option>
  </select>
  <select class="field-small min-w-0" aria-label="Privacy" bind:value={fields.privacy}>
    <option value="">for everybody</option><option value="PUBLIC">public</option><option value="PRIVATE">private</option
    ><option value="CONFIDENTIAL">confidential</option>
  </select>
  <select class="field-small min-w-0" aria-label="Status" bind:value={fields.status}>
    <option value="">no status</option>
    {#each kind === 'event' ? ['TENTATIVE', 'CONFIRMED', 'CANCELLED'] : ['NEEDS-ACTION', 'IN-PROCESS', 'COMPLETED', 'CANCELLED'] as one (one)}
      <option value={one}>{one.toLowerCase()}</option>
    {/each}
  </select>
</div>
<div class={row}>
  <span class={name}>Categories</span>
  <input
    class="field-small min-w-0 flex-1"
    aria-label="Categories, with commas"
    value={fields.categories.join(', ')}
    onchange={(event) =>
      fields &&
      (fields.categories = event.currentTarget.value
        .split(',')
        .map((one) => one.trim())
        .filter(Boolean))}
  />
</div>
<div class={row}>
  <span class={name}>Link</span><input class="field-small min-w-0 flex-1" aria-label="Link" bind:value={fields.link} />
</div>
<div class={row}>
  <span class={name}>Conference</span>
  <input class="field-small min-w-0 flex-1" aria-label="Conference address" bind:value={fields.conference} />
</div>
<div class={row}>
  <span class={name}>On the way</span>
  <input
    type="number"
    min="0"
    class="field-small min-w-0 w-20"
    aria-label="Travel time in minutes"
    bind:value={fields.travel}
  />
  minutes
</div>
{#if fields.attachments.length}
  <div class="mb-2 flex gap-2">
    <span class={name}>Attached</span>
    <ul class="min-w-0 flex-1">
      {#each fields.attachments as one, k (k)}
        <li class="flex gap-2">
          <span class="min-w-0 flex-1 truncate" title={one}>{one}</span>
          <button
            type="button"
            class="text-removed underline"
            onclick={() => (fields.attachments = fields.attachments.filter((_, at) => at !== k))}>remove</button
          >
        </li>
      {/each}
    </ul>
  </div>
{/if}
