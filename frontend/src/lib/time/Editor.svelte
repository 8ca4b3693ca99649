<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query';
  import { onMount, tick, untrack } from 'svelte';
  import Action from '$lib/ui/Action.svelte';
  import { answer, client, type Calendar, type Fields, type Schemas } from '$lib/api/client';
  import { key, query, refreshAll } from '$lib/api/queries';
  import { attempt } from '$lib/state/attempt.svelte';
  import { drawer } from '$lib/state/focus';
  import { keys } from '$lib/state/keys.svelte';
  import { unsaved } from '$lib/state/unsaved.svelte';
  import { didIt } from '$lib/state/undo';
  import { notices } from '$lib/state/notice.svelte';
  import { counted } from '$lib/ui/words';
  import AlarmFields from './AlarmFields.svelte';
  import { looking } from '$lib/state/looking.svelte';
  import MoreFields from './MoreFields.svelte';
  import RepeatFields from './RepeatFields.svelte';
  import WhenFields from './WhenFields.svelte';

  /** One occurrence, or a new event, with everything that can be edited. */
  type Target = { entry: number; series: number; slot: number | null };
  type Props = {
    target: Target;
    fresh?: Fields;
    calendars: Calendar[];
    calendar: number;
    onclose: () => void;
    oncopy: (entry: number) => void;
    ondone: (day: string) => void;
  };
  const { target, fresh, calendars, calendar, onclose, oncopy, ondone }: Props = $props();

  const queries = useQueryClient();
  const loaded = query(() => ({
    queryKey: key('fields', target.entry, target.series, target.slot),
    queryFn: () =>
      answer(
        client.GET('/api/fields', {
          params: { query: { entry: target.entry, series: target.series, slot: target.slot ?? undefined } },
        }),
      ),
    enabled: target.entry > 0,
    staleTime: Infinity,
    gcTime: 0,
  }));

  let fields = $state<Fields | null>(null);
  /** The fields as they were put here: while another answer is on its way, nothing counts as written. */
  let base = $state('');
  let into = $state(0);
  let scope = $state<'one' | 'following' | 'all'>('one');
  let more = $state(false);
  let listed = $state(false);
  let source = $state(false);
  let working = $state(false);
  $effect(() => {
    const from = target.entry > 0 ? loaded.data?.fields : fresh;
    if (from)
      untrack(() => {
        fields = structuredClone($state.snapshot(from) as Fields);
        base = JSON.stringify(fields);
      });
    if (loaded.data?.is_series && target.slot === null) scope = 'all';
  });
  $effect(() => {
    into = calendar;
  });

  const home = $derived(calendars.find((one) => one.id === (loaded.data?.calendar ?? into)));
  const writable = $derived(home?.writable ?? true);
  const kind = $derived(loaded.data?.kind ?? 'event');
  const series = $derived(loaded.data?.is_series ?? false);
  const body = $derived({
    entry: target.entry,
    series: target.series,
    slot: target.slot,
    scope,
    event: false,
    listed,
    fields: fields as Fields,
  });
  const check = query(() => ({
    queryKey: key('fields-check', JSON.stringify(body), looking.others),
    queryFn: () => answer(client.POST('/api/fields/check', { params: { query: { clock: looking.others } }, body })),
    enabled: fields !== null && fields.start !== '',
    placeholderData: (previous) => previous,
    gcTime: 0,
  }));
  const dirty = $derived(fields !== null && JSON.stringify(fields) !== base);
  const changed = $derived(target.entry > 0 && dirty);
  $effect(() => unsaved.watch(() => dirty && writable && !working));
  const detail = query(() => ({
    queryKey: key('entry', target.entry),
    queryFn: () => answer(client.GET('/api/entries/{entry_id}', { params: { path: { entry_id: target.entry } } })),
    enabled: source && target.entry > 0,
  }));

  async function finish(work: () => Promise<Schemas['DoneOut']>): Promise<void> {
    working = true;
    await attempt(async () => {
      const done = await work();
      didIt(done.set_id, done.title);
      if (target.entry === 0) looking.used(into);
      notices.did(done.title);
      ondone(done.day); // closed first: what it showed may be another version by now
      await tick();
      await refreshAll(queries);
    });
    working = false;
  }

  /** Put something into the fields, as if it had been typed. */
  export function change(changes: Partial<Fields>): void {
    if (fields) fields = { ...fields, ...changes };
  }

  function save(event = false): void {
    if (!fields || working || (!writable && target.entry > 0)) return;
    if (target.entry === 0)
      void finish(() => answer(client.POST('/api/events', { body: { calendar: into, fields: fields as Fields } })));
    else void finish(() => answer(client.POST('/api/edits', { body: { ...body, event } })));
  }

  function remove(): void {
    const { entry, series, slot } = target;
    void finish(() => answer(client.POST('/api/removals', { body: { entry, series, slot, scope } })));
  }

  onMount(() =>
    keys.offer([{ key: 'Ctrl+Enter', does: 'save the drawer; Enter does the same from a line of it', aim: 'change' }]),
  );

  const row = 'mb-2 flex items-center gap-2';
  const name = 'text-soft w-20 shrink-0';
  const SCOPES = [
    { value: 'one', name: 'this one' },
    { value: 'following', name: 'this and following' },
    { value: 'all', name: 'all of the series' },
  ] as const;
</script>

<aside
  {@attach drawer(() => unsaved.leave(onclose))}
  aria-label={target.entry ? 'Occurrence' : 'New event'}
  class="bg-sheet border-ink flex w-[430px] shrink-0 flex-col border-l-2 text-[13px]"
>
  <!-- svelte-ignore a11y_no_noninteractive_element_interactions (Enter saves, from any line; Ctrl+Enter from any field) -->
  <form
    class="min-h-0 flex-1 overflow-y-auto p-4"
    onsubmit={(event) => {
      event.preventDefault();
      save();
    }}
    onkeydown={(event) => {
      const line = (event.target as Element).matches('input:not([type=checkbox], [type=radio])');
      if (event.key !== 'Enter' || event.defaultPrevented || !(line || event.ctrlKey || event.metaKey)) return;
      event.preventDefault();
      event.currentTarget.requestSubmit();
    }}
  >
    {#if loaded.isError}
      <p class="text-removed mb-3">{loaded.error.message}</p>
      <Action onclick={onclose} key="Esc">Close</Action>
    {:else if !fields}
      <p class="text-soft">Fetching…</p>
    {:else}
      <fieldset disabled={!writable} class="min-w-0">
        <input
          data-first
          bind:value={fields.title}
          aria-label="Title"
          placeholder="What is it?"
          class="field-small min-w-0 mb-2 h-9 w-full text-base font-bold"
        />
        <div class={row}>
          <span class={name}>Layer</span>
          {#if target.entry}
            <span class="truncate">{loaded.data?.calendar_name}{kind === 'to-do' ? ' · to-do' : ''}</span>
          {:else}
            <select class="field-small min-w-0 flex-1" aria-label="Layer" bind:value={into}>
              {#each calendars.filter((one) => one.writable) as one (one.id)}
                <option value={one.id}>{one.label}</option>
              {/each}
            </select>
          {/if}
        </div>
        {#if series}
          <div
            class="border-brass bg-picked mb-2 flex flex-wrap gap-x-4 border-l-4 px-2 py-1"
            role="radiogroup"
            aria-label="Of the series"
          >
            <span class="text-soft">Edit</span>
            {#each SCOPES as one (one.value)}
              <label class="flex items-center gap-1"
                ><input
                  type="radio"
                  class="accent-brass"
                  name="scope"
                  bind:group={scope}
                  value={one.value}
                />{one.name}</label
              >
            {/each}
          </div>
        {/if}
        <WhenFields
          bind:fields
          clocks={check.data?.clocks ?? []}
          as={{ written: loaded.data?.fields.zone ?? '', means: loaded.data?.zone_means ?? '' }}
        />
        {#if !(series && scope === 'one') && !loaded.data?.is_override && kind === 'event'}
          <div class="mb-2 flex gap-2">
            <span class="{name} pt-1">Repeats</span>
            <div class="min-w-0 flex-1">
              <RepeatFields
                rule={fields.rule}
                start={fields.start}
                whole={fields.whole}
                onchange={(rule) => fields && (fields.rule = rule)}
              />
              {#if check.data?.dates.length}
                <p class="text-soft mt-1">
                  {check.data.words}{check.data.count === null ? '' : ` (${check.data.count} in all)`}:
                  {#each check.data.dates as day, k (day)}{k ? ', ' : ''}<span class="figures text-[12px]">{day}</span
                    >{/each}{check.data.count === null || check.data.count > check.data.dates.length ? ', …' : ''}
                </p>
              {/if}
              {#if fields.left_out.length}
                <p class="mt-1">Left out:</p>
                <ul class="figures flex flex-wrap gap-1 text-[12px]">
                  {#each fields.left_out as day (day)}
                    <li class="border-line border px-1">
                      {day.replace('T', ' ')}
                      <button
                        type="button"
                        class="text-brass underline"
                        aria-label="Restore {day}"
                        onclick={() => fields && (fields.left_out = fields.left_out.filter((one) => one !== day))}
                        >back</button
                      >
                    </li>
                  {/each}
                </ul>
              {/if}
            </div>
          </div>
        {/if}
        <div class={row}>
          <span class={name}>Place</span><input
            class="field-small min-w-0 flex-1"
            aria-label="Place"
            bind:value={fields.place}
          />
        </div>
        <div class="mb-2 flex gap-2">
          <span class="{name} pt-1">Alarms</span>
          <div class="min-w-0 flex-1">
            <AlarmFields
              alarms={fields.alarms}
              start={fields.start}
              whole={fields.whole}
              onchange={(alarms) => fields && (fields.alarms = alarms)}
            />
          </div>
        </div>
        <div class="mb-2 flex gap-2">
          <span class="{name} pt-1">Notes</span>
          <textarea
            rows={fields.notes.length > 120 ? 5 : 2}
            class="bg-paper border-line min-w-0 flex-1 border px-1.5 py-1"
            aria-label="Notes"
            bind:value={fields.notes}></textarea>
        </div>
        <button type="button" class="text-brass mb-2 underline" aria-expanded={more} onclick={() => (more = !more)}
          >{more ? 'Less' : 'People, busy, privacy, links, travel, attachments'}{!more && fields.attendees.length
            ? ` · ${fields.attendees.length} attendees`
            : ''}</button
        >
        {#if more}<MoreFields bind:fields {kind} />{/if}
      </fieldset>
      {#if !writable}
        <p class="text-changed mb-2">{home?.label} can only be read. Copy it to a layer you may write.</p>
      {/if}
      {#each check.data?.notes ?? [] as note (note)}<p class="text-changed mb-1">{note}</p>{/each}
      {#if target.entry}
        <button type="button" class="text-brass underline" aria-expanded={source} onclick={() => (source = !source)}
          >{source ? 'Hide the source text' : 'Source text'}</button
        >
        {#if source}
          <ol class="figures bg-paper border-line mt-1 border text-[12px]">
            {#each detail.data?.source ?? [] as line, k (k)}
              <li class="px-2 break-all whitespace-pre-wrap">{line}</li>
            {/each}
          </ol>
        {/if}
      {/if}
    {/if}
  </form>
  {#if fields && (check.data?.wrong || listed)}
    <div class="border-line border-t px-4 pt-2">
      {#if check.data?.wrong}<p class="text-removed mb-2" role="alert">{check.data.wrong}</p>{/if}
      {#if check.data?.listable || listed}
        <label class="mb-2 flex items-center gap-1.5"
          ><input type="checkbox" class="accent-brass" bind:checked={listed} />Store the series as a list of dates{check
            .data?.listable
            ? `: ${counted(check.data.listable, 'date', 'dates')}`
            : ''}</label
        >
      {/if}
    </div>
  {/if}
  {#if fields}
    <div class="border-line bg-shade flex flex-wrap gap-2 border-t p-3">
      {#if target.entry === 0}
        <Action kind="main" onclick={() => save()} disabled={!fields.title.trim() || !fields.start || working}
          >Add to {calendars.find((one) => one.id === into)?.name ?? '…'}</Action
        >
      {:else if writable}
        <Action kind="main" onclick={() => save()} disabled={!changed || working || Boolean(check.data?.wrong)}
          >Save {series ? SCOPES.find((one) => one.value === scope)?.name : 'it'}</Action
        >
        {#if kind === 'to-do'}<Action
            onclick={() => save(true)}
            disabled={working || !fields.start}
            hint="Enter a day and hours first">Make it an event</Action
          >{/if}
        <Action kind="grave" onclick={remove} disabled={working}
          >Delete {series ? SCOPES.find((one) => one.value === scope)?.name : 'it'}</Action
        >
      {/if}
      {#if target.entry}<Action onclick={() => oncopy(target.series || target.entry)}>Copy or move…</Action>{/if}
      <Action onclick={() => unsaved.leave(onclose)} key="Esc">Close</Action>
    </div>
  {/if}
</aside>
