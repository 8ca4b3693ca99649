<script lang="ts">
  import Action from '$lib/ui/Action.svelte';
  import AccountSection from '$lib/connect/AccountSection.svelte';
  import CalendarRow from '$lib/connect/CalendarRow.svelte';
  import Export from '$lib/look/Export.svelte';
  import NewCalendar from '$lib/connect/NewCalendar.svelte';
  import { accountsQuery, calendarsQuery } from '$lib/api/queries';
  import type { Calendar } from '$lib/api/client';

  /** Every calendar: by account, feeds together, and those that live nowhere but here. */
  const calendars = calendarsQuery();
  const accounts = accountsQuery();
  const byId = $derived(new Map((calendars.data ?? []).map((calendar) => [calendar.id, calendar])));
  const servers = $derived((accounts.data ?? []).filter((account) => account.kind === 'server'));
  const feedIds = $derived(new Set((accounts.data ?? []).filter((a) => a.kind === 'feed').map((a) => a.id)));
  const feeds = $derived((calendars.data ?? []).filter((calendar) => feedIds.has(calendar.account_id ?? 0)));
  const here = $derived((calendars.data ?? []).filter((calendar) => !calendar.live));
  let exporting = $state<Calendar | null>(null);
  let making = $state(false);
  const onexport = (calendar: Calendar) => (exporting = calendar);
</script>

{#if calendars.isError}<p class="text-removed py-2">{calendars.error.message}</p>{/if}
{#if accounts.isError}<p class="text-removed py-2">{accounts.error.message}</p>{/if}

{#each servers as account (account.id)}<AccountSection {account} calendars={byId} {onexport} />{/each}

{#if feeds.length}
  <section class="mb-6" aria-labelledby="feeds-head">
    <div class="border-ink flex items-baseline gap-4 border-b pb-1">
      <h2 id="feeds-head" class="font-bold">Feeds</h2>
      <span class="text-soft text-[13px]">they follow what is published, and can only be read</span>
    </div>
    <ul class="ruled">
      {#each feeds as calendar (calendar.id)}
        <CalendarRow {calendar} {onexport} />
      {/each}
    </ul>
  </section>
{/if}

<section aria-labelledby="calendars-head">
  <div class="border-ink flex items-center gap-4 border-b pb-1">
    <h2 id="calendars-head" class="font-bold">Only here</h2>
    <span class="text-soft text-[13px]">snapshots: from files, or of what was once connected</span>
    <span class="ml-auto"><Action onclick={() => (making = true)}>New calendar…</Action></span>
  </div>
  {#if calendars.data && here.length === 0}
    <p class="text-soft py-3">None. A file goes into a fresh calendar unless you choose another.</p>
  {/if}
  <ul class="ruled">
    {#each here as calendar (calendar.id)}
      <CalendarRow {calendar} {onexport} />
    {/each}
  </ul>
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
