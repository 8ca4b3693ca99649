<script lang="ts">
  import { page } from '$app/state';
  import { onMount } from 'svelte';
  import Action from '$lib/ui/Action.svelte';
  import CheckPane from '$lib/mend/CheckPane.svelte';
  import GoBy from '$lib/mend/GoBy.svelte';
  import MendNav from '$lib/mend/MendNav.svelte';
  import WholePane from '$lib/mend/WholePane.svelte';
  import { answer, client } from '$lib/api/client';
  import { calendarsQuery, key, query } from '$lib/api/queries';
  import { keepInAddress } from '$lib/state/address';
  import { walking } from '$lib/state/focus';
  import { keys } from '$lib/state/keys.svelte';
  import { choice, number, text, view, type Changes } from '$lib/state/view';
  import { count, counted } from '$lib/ui/words';

  /** What the checks have found, the worst first; one of them opened beside the list. */
  const SEVERITIES = ['', 'breaks', 'alters', 'untidy'] as const;
  const WHOLE = 'calendars';
  const shape = { check: text, calendar: number(0), severity: choice(SEVERITIES, '') };
  const address = view('/mend/checks', shape);
  const asked = $derived(address.read(page.url.searchParams));
  const calendars = calendarsQuery();
  const byId = $derived(new Map((calendars.data ?? []).map((one) => [one.id, one])));
  const checks = query(() => ({
    queryKey: key('checks', asked.calendar),
    queryFn: () =>
      answer(client.GET('/api/checks', { params: { query: asked.calendar ? { calendar: asked.calendar } : {} } })),
  }));
  const found = $derived(
    (checks.data?.found ?? []).filter((one) => !asked.severity || one.severity === asked.severity),
  );
  const groups = $derived(
    [
      { name: 'Violations of the standard', rows: found.filter((one) => one.wrong && !one.left_out) },
      { name: 'Valid, but rarely wanted', rows: found.filter((one) => !one.wrong && !one.left_out) },
      { name: 'Ignored', rows: found.filter((one) => one.left_out) },
    ].filter((group) => group.rows.length),
  );
  const order = $derived(groups.flatMap((group) => group.rows));
  const open = $derived(
    asked.check === WHOLE ? undefined : (order.find((one) => one.code === asked.check) ?? order[0]),
  );
  const wrong = $derived(found.filter((one) => one.wrong && !one.left_out));
  const INK: Record<string, string> = { breaks: 'text-removed', alters: 'text-changed', untidy: 'text-same' };
  let pane: CheckPane | undefined = $state();
  let going = $state(false);

  function change(changes: Changes<typeof shape>): void {
    void keepInAddress(address.address(page.url.searchParams, changes));
  }

  onMount(() =>
    keys.offer([
      { key: '↑ ↓', does: 'from one check to the next; Enter opens it', aim: 'find' },
      { key: 'p', does: 'fix, change or show the findings', aim: 'change', run: () => void pane?.act() },
      { key: 'x', does: 'ignore the check, or stop ignoring it', aim: 'change', run: () => void pane?.leave() },
    ]),
  );
</script>

<svelte:head><title>Checks · Date Bridge</title></svelte:head>
<MendNav>
  <span class="figures" role="status">{counted(wrong.length, 'kind of finding', 'kinds of findings')}</span>
</MendNav>
<div class="border-line flex flex-wrap items-center gap-x-5 gap-y-2 border-b px-4 pb-2 text-[13px]">
  <h1 class="visually-hidden">Mend: checks</h1>
  <label class="flex items-center gap-2"
    >In
    <select
      class="field-small max-w-60"
      aria-label="Calendar"
      value={asked.calendar}
      onchange={(event) => change({ calendar: event.currentTarget.value === '0' ? '' : event.currentTarget.value })}
    >
      <option value={0}>all calendars</option>
      {#each calendars.data ?? [] as one (one.id)}<option value={one.id}>{one.label}</option>{/each}
    </select></label
  >
  <label class="flex items-center gap-2"
    >severity
    <select
      class="field-small"
      aria-label="Severity"
      value={asked.severity}
      onchange={(event) => change({ severity: event.currentTarget.value })}
    >
      {#each SEVERITIES as one (one)}<option value={one}>{one || 'any'}</option>{/each}
    </select></label
  >
  <span class="ml-auto"><Action onclick={() => (going = true)}>Limits of the checks…</Action></span>
</div>
{#if checks.isError}<p class="text-removed px-4 py-2">{checks.error.message}</p>{/if}
<div class="flex min-h-0 flex-1 max-[900px]:flex-col">
  <div
    class="border-ink w-[44%] shrink-0 overflow-y-auto border-r max-[900px]:max-h-56 max-[900px]:w-full max-[900px]:border-r-0 max-[900px]:border-b"
    role="region"
    aria-label="Checks"
    tabindex="-1"
    data-rest
    data-part
    {@attach walking('button')}
  >
    {#if checks.data && !wrong.length && !asked.severity}
      <p class="px-4 py-3">No problems. Every entry conforms to the standard.</p>
    {/if}
    {#each groups as group (group.name)}
      <h2 class="bg-shade px-4 py-1 text-[13px] font-bold">{group.name}</h2>
      <ul>
        {#each group.rows as one (one.code)}
          <li>
            <button
              class="border-line flex w-full items-center gap-3 border-b px-4 py-1 text-left text-[13px] {open?.code ===
              one.code
                ? 'bg-picked font-bold'
                : 'hover:bg-shade'}"
              aria-current={open?.code === one.code ? 'true' : undefined}
              onclick={() => change({ check: one.code })}
            >
              <span class="w-14 {one.left_out ? 'text-same' : INK[one.severity]}">{one.severity}</span>
              <span class="min-w-0 flex-1">{one.title}</span>
              {#if one.fixable}<span class="text-soft font-normal">fixable</span>{/if}
              <span class="figures w-14 text-right">{count(one.count)}</span>
            </button>
          </li>
        {/each}
      </ul>
    {/each}
    {#if !asked.severity && !asked.calendar}
      <h2 class="bg-shade px-4 py-1 text-[13px] font-bold">Whole calendars</h2>
      <button
        class="border-line w-full border-b px-4 py-1 text-left text-[13px] {asked.check === WHOLE
          ? 'bg-picked font-bold'
          : 'hover:bg-shade'}"
        aria-current={asked.check === WHOLE ? 'true' : undefined}
        onclick={() => change({ check: WHOLE })}>Names, copies, spellings, non-standard properties</button
      >
    {/if}
    {#if checks.data?.clean.length}
      <h2 class="px-4 pt-3 text-[13px] font-bold">Not found</h2>
      <p class="text-soft px-4 pb-3 text-[12px]">{checks.data.clean.join(' · ')}</p>
    {/if}
  </div>
  <div class="flex min-h-0 min-w-0 flex-1 flex-col" role="region" aria-label="The check" tabindex="-1" data-part>
    {#if asked.check === WHOLE}
      <WholePane calendars={byId} />
    {:else if open}
      {#key open.code}<CheckPane bind:this={pane} check={open} calendar={asked.calendar} calendars={byId} />{/key}
    {/if}
  </div>
</div>
{#if going}<GoBy onclose={() => (going = false)} />{/if}
