<script lang="ts">
  import { page } from '$app/state';
  import { useQueryClient } from '@tanstack/svelte-query';
  import { onMount } from 'svelte';
  import Action from '$lib/ui/Action.svelte';
  import JobLine from '$lib/ui/JobLine.svelte';
  import MendNav from '$lib/mend/MendNav.svelte';
  import OffList from '$lib/mend/OffList.svelte';
  import YearLine from '$lib/mend/YearLine.svelte';
  import ZonePane from '$lib/mend/ZonePane.svelte';
  import { answer, client, type Schemas } from '$lib/api/client';
  import { key, query, refresh, refreshAll } from '$lib/api/queries';
  import { keepInAddress } from '$lib/state/address';
  import { attempt } from '$lib/state/attempt.svelte';
  import { walking } from '$lib/state/focus';
  import { keys } from '$lib/state/keys.svelte';
  import { notices } from '$lib/state/notice.svelte';
  import { text, view, type Changes } from '$lib/state/view';
  import { count, counted } from '$lib/ui/words';

  /** Every zone name in use: what it means, what speaks for it, and what is to be decided. */
  const OFF = 'off';
  const queries = useQueryClient();
  const shape = { name: text };
  const address = view('/mend/zones', shape);
  const asked = $derived(address.read(page.url.searchParams));
  const zones = query(() => ({
    queryKey: key('zone-names'),
    queryFn: () => answer(client.GET('/api/zone-names')),
  }));
  const names = $derived(zones.data?.names ?? []);
  const groups = $derived(
    [
      { title: 'Unknown zones', rows: names.filter((one) => one.state === 'unknown') },
      { title: 'Name and definition differ', rows: names.filter((one) => one.state === 'contradicts') },
      { title: 'Floating times', rows: names.filter((one) => one.state === 'floating') },
      { title: 'Decided', rows: names.filter((one) => one.state === 'ruled') },
      { title: 'Known zones', rows: names.filter((one) => one.state === 'fine') },
    ].filter((group) => group.rows.length),
  );
  const order = $derived(groups.flatMap((group) => group.rows));
  const waits = $derived(names.filter((one) => one.state === 'unknown' || one.state === 'contradicts').length);
  const off = $derived(zones.data?.off ?? []);
  const id = (one: Schemas['NameOut']) => one.key.replace('\n', ' ');
  const open = $derived(
    asked.name === OFF && off.length ? undefined : (order.find((one) => id(one) === asked.name) ?? order[0]),
  );
  let pane: ZonePane | undefined = $state();
  let offList: OffList | undefined = $state();
  let looked = false;

  // Whoever comes after entries have changed has it looked at once more.
  $effect(() => {
    if (zones.data?.outdated && zones.data.job === null && !looked) {
      looked = true;
      void answer(client.POST('/api/zone-names/recompute'));
    }
  });

  function change(changes: Changes<typeof shape>): void {
    void keepInAddress(address.address(page.url.searchParams, changes));
  }

  async function takeBack(ruling: number): Promise<void> {
    await attempt(async () => {
      await answer(client.DELETE('/api/zone-names/rulings/{ruling_id}', { params: { path: { ruling_id: ruling } } }));
      notices.say('The ruling is withdrawn; times are read as before.');
    });
    await refreshAll(queries);
    await refresh(queries, 'zone-names');
  }

  onMount(() =>
    keys.offer([
      { key: '↑ ↓', does: 'from one name to the next; Enter opens it', aim: 'find' },
      { key: 'd', does: 'use the proposed zone', aim: 'change', run: () => void pane?.decide() },
      {
        key: 'p',
        does: 'change the entries: keep the clock time, change the zone',
        aim: 'change',
        run: () => (pane ? pane.mend('clock') : offList?.mend()),
      },
    ]),
  );
</script>

<svelte:head><title>Time zones · Date Bridge</title></svelte:head>
<MendNav>
  <span class="figures" role="status"
    >{zones.data
      ? `${counted(waits, 'name', 'names')} to decide${off.length ? ` · ${count(off.length)} wrong for part of the year` : ''}`
      : ''}</span
  >
</MendNav>
<h1 class="visually-hidden">Mend: time zones</h1>
{#if zones.isError}<p class="text-removed px-4 py-2">{zones.error.message}</p>{/if}
<div class="border-line flex min-h-0 flex-1 border-t max-[900px]:flex-col">
  <div
    class="border-ink w-[450px] shrink-0 overflow-y-auto border-r max-[900px]:max-h-64 max-[900px]:w-full max-[900px]:border-r-0 max-[900px]:border-b"
    role="region"
    aria-label="Zone names"
    tabindex="-1"
    data-rest
    data-part
    {@attach walking('button[data-name]')}
  >
    {#if zones.isPending}<p class="text-soft px-4 py-3" role="status">Reading the zone names…</p>{/if}
    {#if zones.data && !names.length}<p class="px-4 py-3">No entry uses a zone yet.</p>{/if}
    {#if zones.data?.job}<div class="px-4 py-2 text-[13px]">
        <JobLine behind id={zones.data.job} onended={() => void refresh(queries, 'zone-names')} />
      </div>{/if}
    {#if off.length}
      <h2 class="bg-shade px-4 py-1 text-[13px] font-bold">Wrong for part of the year</h2>
      <button
        data-name
        class="border-line flex w-full items-center gap-3 border-b px-4 py-1 text-left text-[13px] {open
          ? 'hover:bg-shade'
          : 'bg-picked font-bold'}"
        aria-current={open ? undefined : 'true'}
        onclick={() => change({ name: OFF })}
      >
        <span class="min-w-0 flex-1 truncate">{off.map((one) => one.title).join(', ')}</span>
        <span class="text-changed figures">{off[0]?.moved}</span>
      </button>
    {/if}
    {#each groups as group (group.title)}
      <h2 class="bg-shade px-4 py-1 text-[13px] font-bold">{group.title}</h2>
      <ul>
        {#each group.rows as one (one.key)}
          <li>
            <button
              data-name
              class="border-line flex h-11 w-full items-center gap-3 border-b px-4 text-left text-[13px] {open?.key ===
              one.key
                ? 'bg-picked'
                : 'hover:bg-shade'}"
              aria-current={open?.key === one.key ? 'true' : undefined}
              onclick={() => change({ name: id(one) })}
            >
              <span class="min-w-0 flex-1">
                <strong class="block truncate font-medium" title={one.tzid}>{one.tzid || 'floating times'}</strong>
                <span class="text-soft block truncate text-[12px]"
                  >{one.state === 'contradicts'
                    ? one.contradicts
                    : one.state === 'unknown'
                      ? one.says
                      : one.zone && one.zone !== one.tzid
                        ? `→ ${one.zone}`
                        : one.says}</span
                >
              </span>
              <YearLine own={one.own_year} other={one.zone_year} said={one.zone} otherSaid={one.named} wide={90} />
              <span class="figures w-12 text-right">{count(one.entries)}</span>
            </button>
          </li>
        {/each}
      </ul>
    {/each}
    {#if zones.data?.rulings.length}
      <h2 class="bg-shade px-4 py-1 text-[13px] font-bold">Rulings</h2>
      <ul>
        {#each zones.data.rulings as one (one.id)}
          <li class="border-line flex items-center gap-3 border-b px-4 py-1 text-[13px]">
            <span class="min-w-0 flex-1 truncate"
              >“{one.tzid}” means {one.zone}{one.calendar ? ` in ${one.calendar}` : ''}</span
            >
            <Action onclick={() => void takeBack(one.id)} named="Withdraw: {one.tzid}">Withdraw</Action>
          </li>
        {/each}
      </ul>
    {/if}
  </div>
  <div class="flex min-h-0 min-w-0 flex-1 flex-col" role="region" aria-label="The zone name" tabindex="-1" data-part>
    {#if open}
      {#key open.key}<ZonePane bind:this={pane} name={open} />{/key}
    {:else if off.length}<OffList bind:this={offList} {off} />{/if}
  </div>
</div>
