<script lang="ts">
  import Action from '$lib/ui/Action.svelte';
  import AccountSection from '$lib/connect/AccountSection.svelte';
  import CalendarRow from '$lib/connect/CalendarRow.svelte';
  import Export from '$lib/look/Export.svelte';
  import NewCalendar from '$lib/connect/NewCalendar.svelte';
  import FewRows from '$lib/ui/FewRows.svelte';
  import Input from '$lib/ui/Input.svelte';
  import { accountsQuery, calendarsQuery } from '$lib/api/queries';
  import type { Calendar } from '$lib/api/client';

  /** Every calendar: by account, feeds together, and those that live nowhere but here. */
  const calendars = calendarsQuery();
  const accounts = accountsQuery();
  const byId = $derived(new Map((calendars.data ?? []).map((calendar) => [calendar.id, calendar])));
  const servers = $derived((accounts.data ?? []).filter((account) => account.kind === 'server'));
  const feedIds = $derived(new Set((accounts.data ?? []).filter((a) => a.kind === 'feed').map((a) => a.id)));
  /** With more calendars than this they are found by typing. */
  const MANY = 30;
  let text = $state('');
  const found = $derived(
    (calendars.data ?? []).filter((one) => `${one.label} ${one.account}`.toLowerCase().includes(text.toLowerCase())),
  );
  const feeds = $derived(found.filter((calendar) => feedIds.has(calendar.account_id ?? 0)));
  const here = $derived(found.filter((calendar) => !calendar.live));
  let exporting = $state<Calendar | null>(null);
  let making = $state(false);
  const onexport = (calendar: Calendar) => (exporting = calendar);
</script>

{#if calendars.isError}<p class="text-removed py-2">{calendars.error.message}</p>{/if}
{#if accounts.isError}<p class="text-removed py-2">{accounts.error.message}</p>{/if}

{#if (calendars.data ?? []).length > MANY}
  <p class="mb-4 flex items-center gap-3">
    <label class="flex items-center gap-2"
      >Find a calendar <Input bind:value={text} class="w-64" placeholder="a part of its name" /></label
    >
    <span class="text-soft figures" role="status">{text ? `${found.length} of ` : ''}{byId.size} calendars</span>
  </p>
{/if}
{#each servers as account (account.id)}<AccountSection {account} calendars={byId} {onexport} named={text} />{/each}

{#if feeds.length}
  <section class="mb-6" aria-labelledby="feeds-head">
    <div class="border-ink flex items-baseline gap-4 border-b pb-1">
      <h2 id="feeds-head" class="font-bold">Feeds</h2>
      <span class="text-soft text-[13px]">they follow what is published, and can only be read</span>
    </div>
    <FewRows rows={feeds}>
      {#snippet row(calendar: Calendar)}<CalendarRow {calendar} {onexport} />{/snippet}
    </FewRows>
  </section>
{/if}

<section aria-labelledby="calendars-head">
  <div class="border-ink flex items-center gap-4 border-b pb-1">
    <h2 id="calendars-head" class="font-bold">Only here</h2>
    <span class="text-soft text-[13px]">snapshots: from files, or of what was once connected</span>
    <span class="ml-auto"><Action onclick={() => (making = true)}>New calendar…</Action></span>
  </div>
  {#if calendars.data && here.length === 0 && !text}
    <p class="text-soft py-3">None. A file is imported into a new calendar unless you choose an existing one.</p>
  {/if}
  <FewRows rows={here}>
    {#snippet row(calendar: Calendar)}<CalendarRow {calendar} {onexport} />{/snippet}
  </FewRows>
</section>

{#if exporting}
  <Export
    selection={{ filter: '', excluded: [], only: null }}
    calendar={exporting.id}
    name={exporting.name}
    onclose={() => (exporting = null)}
  />
{/if}
{#if making}<NewCalendar accounts={servers} onclose={() => (making = false)} />{/if}
