<script lang="ts">
  import { goto } from '$app/navigation';
  import { onMount } from 'svelte';
  import type { Snapshot } from './$types';
  import Action from '$lib/ui/Action.svelte';
  import Editor from '$lib/time/Editor.svelte';
  import { type Fields, type Schemas } from '$lib/api/client';
  import { calendarsQuery } from '$lib/api/queries';
  import { attempt } from '$lib/state/attempt.svelte';
  import { walking } from '$lib/state/focus';
  import { importing } from '$lib/state/imports.svelte';
  import { looking } from '$lib/state/looking.svelte';
  import { counted, bytes } from '$lib/ui/words';
  import { rows } from '$lib/state/rows';

  /** A message without an invitation on the left bank, the event that can be made of it on the right. */
  const calendars = calendarsQuery();
  let draft = $state<Schemas['DraftOut'] | null>(importing.draft);
  let editor = $state<ReturnType<typeof Editor>>();
  const fields = $derived(draft?.fields as Fields | undefined);
  const usual = $derived(
    calendars.data?.find((one) => one.writable && one.id === looking.last)?.id ??
      calendars.data?.find((one) => one.writable && looking.isOn(one.id))?.id ??
      0,
  );

  // A reload shows the same message again.
  export const snapshot: Snapshot<Schemas['DraftOut'] | null> = {
    capture: () => $state.snapshot(draft),
    restore: (kept) => (draft ??= kept),
  };
  onMount(() => void attempt(() => looking.load()));

  function take(time: Schemas['TimeOut']): void {
    const { start, end, whole, zone } = time;
    if (editor) editor.change({ start, end, whole, zone });
    else if (draft) draft.fields = { ...draft.fields, start, end, whole, zone }; // the event at the right comes with it
  }
</script>

<svelte:head><title>Message · Date Bridge</title></svelte:head>

{#if !draft || !fields}
  <div class="p-6">
    <h1 class="mb-2 text-xl font-bold">A message</h1>
    <p class="mb-3">There is no message here. Drop a message (.eml) anywhere in this window.</p>
    <Action href="/connect">Back to Connect</Action>
  </div>
{:else}
  <div class="flex min-h-0 flex-1">
    <div
      class="min-h-0 min-w-0 flex-1 overflow-y-auto px-4 py-3"
      role="region"
      aria-label="The message"
      tabindex="-1"
      data-rest
      data-part
      {@attach walking('button', undefined, true)}
    >
      <p class="text-soft text-[13px]">A message without an invitation. Nothing has been imported yet.</p>
      <h1 class="text-xl font-bold">{fields.title}</h1>
      <p class="mb-3">
        from {draft.sender || 'nobody named'}, {counted(fields.attendees.length, 'person', 'people')} in all
      </p>
      <h2 class="border-ink mb-1 border-b font-bold">Dates and times found</h2>
      {#if draft.times.length}
        <ul class="ruled mb-4" {@attach rows()}>
          {#each draft.times as time (time.says)}
            <li class="flex items-center gap-4 py-1">
              <span class="figures flex-1">{time.says}</span>
              <Action named="Use {time.says}" onclick={() => take(time)}>Use this time</Action>
            </li>
          {/each}
        </ul>
      {:else}<p class="text-soft mb-4">None found. Enter them on the right.</p>{/if}
      {#if draft.attached.length}
        <h2 class="border-ink mb-1 border-b font-bold">Attached</h2>
        <ul class="ruled mb-4" {@attach rows()}>
          {#each draft.attached as one, k (k)}
            <li class="flex gap-4 py-1">
              <span class="min-w-0 flex-1 truncate">{one.name}</span><span class="figures">{bytes(one.size)}</span>
            </li>
          {/each}
        </ul>
        <p class="text-soft mb-4">Attachments are not copied to the event.</p>
      {/if}
      <h2 class="border-ink mb-1 border-b font-bold">Text</h2>
      <p class="whitespace-pre-wrap">{fields.notes || 'No text.'}</p>
    </div>
    {#if calendars.isSuccess}
      <Editor
        bind:this={editor}
        target={{ entry: 0, series: 0, slot: null }}
        fresh={fields}
        calendars={calendars.data}
        calendar={usual}
        onclose={() => void goto('/connect')}
        oncopy={() => undefined}
        ondone={(day) => {
          importing.draft = null;
          void goto(`/look/time?view=week&on=${day}`);
        }}
      />
    {/if}
  </div>
{/if}
