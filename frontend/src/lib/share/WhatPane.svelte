<script lang="ts">
  import Field from '$lib/ui/Field.svelte';
  import Input from '$lib/ui/Input.svelte';
  import Select from '$lib/ui/Select.svelte';
  import ZoneChoice from '$lib/ui/ZoneChoice.svelte';
  import { answer, client, type Schemas } from '$lib/api/client';
  import { calendarsQuery, key, query } from '$lib/api/queries';
  import { DETAILS, GUARDED, sharesQuery, type Wanted } from '$lib/share/share';

  /** What is given, of what, in which forms and for how long; whose it is. */
  let { wanted = $bindable(), fresh }: { wanted: Wanted; fresh: boolean } = $props();
  const calendars = calendarsQuery();
  const owners = query(() => ({
    queryKey: key('share-owners'),
    queryFn: () => answer(client.GET('/api/shares/owners')),
  }));
  const id = $props.id();
  let byFilter = $state(wanted.filter !== '');
  const first = new Set(wanted.calendars);
  const listed = $derived((calendars.data ?? []).toSorted((a, b) => Number(first.has(b.id)) - Number(first.has(a.id))));
  // A calendar that was deleted meanwhile can be given no more.
  $effect(() => {
    const there = new Set((calendars.data ?? []).map((one) => one.id));
    if (calendars.data && wanted.calendars.some((one) => !there.has(one)))
      wanted.calendars = wanted.calendars.filter((one) => there.has(one));
  });
  const shares = sharesQuery();
  const busy = $derived(wanted.terms.detail === 'busy');
  const ticks = [
    ['attachments', 'attachments'],
    ['alarms', 'alarms'],
    ['conferences', 'conference addresses'],
    ['unknown', 'unknown properties'],
  ] as const;
  const INTERVALS = [
    [900, '15 minutes'],
    [3600, 'hour'],
    [6 * 3600, '6 hours'],
    [86400, 'day'],
    [7 * 86400, 'week'],
  ] as const;

  function turn<Value>(list: Value[], value: Value): Value[] {
    return list.includes(value) ? list.filter((one) => one !== value) : [...list, value];
  }
  function choose(of: 'calendars' | 'filter'): void {
    byFilter = of === 'filter';
    if (byFilter) wanted.calendars = [];
    else wanted.filter = '';
  }
  function owned(name: string): void {
    const known = owners.data?.find((one) => one.name === name);
    if (known && !wanted.contact) wanted.contact = known.contact;
  }
  let named = $state('');
  const days = (said: string): number | null => (said.trim() === '' ? null : Math.max(0, Number(said) || 0));
</script>

<Field label="Title, as readers see it"
  ><Input bind:value={wanted.title} maxlength={200} data-rest={fresh ? '' : undefined} /></Field
>
<fieldset class="mb-3">
  <legend class="mb-1">What is shared</legend>
  <label class="mr-4 inline-flex gap-2"
    ><input type="radio" class="accent-brass" name="what" checked={!byFilter} onchange={() => choose('calendars')} /> whole
    calendars</label
  >
  <label class="inline-flex gap-2"
    ><input type="radio" class="accent-brass" name="what" checked={byFilter} onchange={() => choose('filter')} /> matches
    of a filter</label
  >
  {#if byFilter}
    <Input
      bind:value={wanted.filter}
      aria-label="Filter"
      placeholder="category:BERTH after:today"
      class="mt-1 w-full"
    />
  {:else}
    {#if listed.length > 12}
      <Input
        bind:value={named}
        aria-label="Find a calendar"
        placeholder="a part of a calendar's name"
        class="mt-1 w-full"
      />
    {/if}
    <div class="border-line mt-1 max-h-[132px] overflow-y-auto border px-2 py-1" role="group" aria-label="Calendars">
      {#each listed.filter((one) => wanted.calendars.includes(one.id) || one.label
            .toLowerCase()
            .includes(named.toLowerCase())) as one (one.id)}
        <label class="flex items-center gap-2">
          <input
            type="checkbox"
            class="accent-brass"
            checked={wanted.calendars.includes(one.id)}
            onchange={() => (wanted.calendars = turn(wanted.calendars, one.id))}
          /> <span class="min-w-0 flex-1 truncate">{one.label}</span>
          {#if one.echo}<span class="text-changed text-[12px]">an echo</span>{/if}
        </label>
      {/each}
    </div>
  {/if}
</fieldset>
<fieldset class="mb-3">
  <legend class="mb-1">Level of detail</legend>
  {#each DETAILS as [detail, name, says] (detail)}
    <label class="flex gap-2"
      ><input type="radio" class="accent-brass" name="detail" value={detail} bind:group={wanted.terms.detail} />
      <span><strong class="font-medium">{name}</strong> <span class="text-soft">{says}</span></span></label
    >
  {/each}
  <label class="mt-1 flex items-center gap-2"
    >Title of busy times <Input
      bind:value={wanted.terms.busy_title}
      maxlength={100}
      class="w-44"
      placeholder="nothing"
    />
  </label>
</fieldset>
<div class="mb-3 grid grid-cols-2 gap-3">
  <Field label="Private entries"
    ><Select bind:value={wanted.terms.private} class="w-full"
      >{#each GUARDED as [value, name] (value)}<option {value}>{name}</option>{/each}</Select
    ></Field
  >
  <Field label="Confidential entries"
    ><Select bind:value={wanted.terms.confidential} class="w-full"
      >{#each GUARDED as [value, name] (value)}<option {value}>{name}</option>{/each}</Select
    ></Field
  >
</div>
<fieldset class="mb-3">
  <legend class="mb-1">{busy ? 'Not available for busy times' : 'Also share'}</legend>
  <div class="flex flex-wrap gap-x-4">
    {#each ticks as [key, name] (key)}
      <label class="inline-flex gap-2 {busy ? 'opacity-50' : ''}"
        ><input type="checkbox" class="accent-brass" disabled={busy} bind:checked={wanted.terms[key]} /> {name}</label
      >
    {/each}
    <label class="inline-flex gap-2 {busy ? 'opacity-50' : ''}"
      ><input type="checkbox" class="accent-brass" disabled={busy} bind:checked={wanted.terms.todos} /> to-dos</label
    >
  </div>
</fieldset>
<div class="mb-3 flex flex-wrap items-center gap-2">
  <label class="flex items-center gap-2"
    >From
    <input
      class="field figures w-20"
      type="number"
      min="0"
      placeholder="all"
      value={wanted.terms.back ?? ''}
      onchange={(event) => (wanted.terms.back = days(event.currentTarget.value))}
    /> days ago</label
  >
  <label class="flex items-center gap-2"
    >to
    <input
      class="field figures w-20"
      type="number"
      min="0"
      placeholder="all"
      value={wanted.terms.ahead ?? ''}
      onchange={(event) => (wanted.terms.ahead = days(event.currentTarget.value))}
    /> days ahead</label
  >
  <span class="text-soft text-[13px]">Series are limited to this span.</span>
</div>
<fieldset class="mb-3">
  <legend class="mb-1">Formats</legend>
  {#each shares.data?.formats ?? [] as { form, title, description } (form)}
    <label class="flex gap-2"
      ><input
        type="checkbox"
        class="accent-brass"
        checked={wanted.forms.includes(form)}
        onchange={() => (wanted.forms = turn(wanted.forms, form) as Schemas['Form'][])}
      />
      <span><strong class="font-medium">{title}</strong> <span class="text-soft">{description}</span></span></label
    >
  {/each}
</fieldset>
<fieldset class="mb-3">
  <legend class="mb-1">Duration</legend>
  <label class="flex gap-2"
    ><input type="radio" class="accent-brass" name="fixed" value={false} bind:group={wanted.fixed} /> kept up to date;
    readers refresh every
    <select class="field-small" aria-label="Refresh interval" bind:value={wanted.interval}>
      {#each INTERVALS as [seconds, name] (seconds)}<option value={seconds}>{name}</option>{/each}
      {#if !INTERVALS.some(([seconds]) => seconds === wanted.interval)}<option value={wanted.interval}
          >{wanted.interval} s</option
        >{/if}
    </select></label
  >
  <label class="flex gap-2"
    ><input type="radio" class="accent-brass" name="fixed" value={true} bind:group={wanted.fixed} /> fixed: as it is now</label
  >
  <label class="mt-1 flex items-center gap-2"
    >until the end of
    <input
      class="field-small figures"
      type="date"
      aria-label="Until the end of"
      value={wanted.until ?? ''}
      onchange={(event) => (wanted.until = event.currentTarget.value || null)}
    />
    <span class="text-soft">{wanted.until ? '' : 'no end'}</span></label
  >
</fieldset>
<div class="mb-3">
  <ZoneChoice label="Zone" value={wanted.zone} onchange={(zone) => (wanted.zone = zone)} />
</div>
<Field label="Owner (a role, not a person)"
  ><input
    class="field w-full"
    list="{id}-owners"
    bind:value={wanted.owner}
    placeholder="harbour office"
    onchange={(event) => owned(event.currentTarget.value)}
  /></Field
>
<datalist id="{id}-owners"
  >{#each owners.data ?? [] as one (one.name)}<option value={one.name}></option>{/each}</datalist
>
<Field label="Contact for readers"
  ><Input bind:value={wanted.contact} placeholder="harbour-office@skerrow.example" /></Field
>
{#if wanted.forms.includes('page')}
  <Field label="Sites that may embed the page, one on each line"
    ><textarea
      class="border-line bg-paper w-full border px-2 py-1"
      rows="2"
      value={wanted.sites.join('\n')}
      placeholder="https://intranet.skerrow.example"
      onchange={(event) => (wanted.sites = event.currentTarget.value.split('\n').filter((one) => one.trim()))}
    ></textarea></Field
  >
  <label class="mb-3 flex gap-2"
    ><input type="checkbox" class="accent-brass" bind:checked={wanted.indexed} /> search engines may list the page</label
  >
{/if}
