<script lang="ts">
  import { goto } from '$app/navigation';
  import { onMount } from 'svelte';
  import Action from '$lib/ui/Action.svelte';
  import Bars from '$lib/share/Bars.svelte';
  import { walking } from '$lib/state/focus';
  import { keys } from '$lib/state/keys.svelte';
  import { formName, readersOf, sharesQuery, type Share } from '$lib/share/share';
  import { count, counted, bytes } from '$lib/ui/words';

  /** What is given to readers: what of it, to whom, in which forms, and whether anybody reads it. */
  const shares = sharesQuery();
  const rows = $derived(shares.data?.shares ?? []);

  /** What needs a look, in a few words; "" while all is well. */
  function wrong(one: Share): string {
    if (one.over) return 'ended';
    if (!one.filter && !one.fixed_at && !one.names.length) return 'calendars deleted';
    const host = one.hosts.find((host) => host.trouble);
    if (host) return 'not published';
    if (!one.readers.some((reader) => reader.state !== 'revoked') && !one.hosts.length) return 'no readers';
    const stopped = one.readers.filter((reader) => reader.state === 'inactive').length;
    if (stopped) return `${counted(stopped, 'inactive reader', 'inactive readers')}`;
    return one.unread ? 'never read' : '';
  }

  onMount(() =>
    keys.offer([
      { key: '↑ ↓', does: 'from one share to the next; Enter opens it', aim: 'find' },
      { key: 'n', does: 'new share', aim: 'change', run: () => void goto('/share/new') },
    ]),
  );
</script>

<svelte:head><title>Share · Date Bridge</title></svelte:head>
<div class="flex flex-wrap items-center gap-x-6 gap-y-1 px-4 py-2">
  <h1 class="text-lg font-bold">Share</h1>
  <p class="text-soft min-w-0 flex-1">
    {#if shares.data?.door}Readers use <span class="figures">{shares.data.door}</span>, where only shares can be
      reached.{:else if shares.data}Readers have no address yet. Start Date Bridge with
      <code class="figures">--share 0.0.0.0:8138</code> to open one. Publishing to web hosts works without it.{/if}
  </p>
  {#if shares.data}<p class="figures text-[13px]" role="status">
      90 days: {count(shares.data.fetched)} × downloaded · {bytes(shares.data.size)} · {count(shares.data.refused)} refused{shares
        .data.unknown
        ? `, ${count(shares.data.unknown)} of them at unknown addresses`
        : ''}
    </p>{/if}
  <Action kind="main" href="/share/new" key="n">New share</Action>
</div>
{#if shares.isError}<p class="text-removed px-4 py-2">{shares.error.message}</p>{/if}
<div
  class="border-ink min-h-0 flex-1 overflow-y-auto border-t"
  role="region"
  aria-label="Shares"
  tabindex="-1"
  data-rest
  data-part
  {@attach walking('a[data-share]')}
>
  {#if shares.isPending}<p class="text-soft px-4 py-3" role="status">Reading the shares…</p>{/if}
  {#if shares.data && !rows.length}
    <div class="max-w-[640px] px-4 py-6">
      <p class="mb-3 text-base font-bold">No shares yet.</p>
      <p class="mb-3">
        A share gives readers one or more calendars, or matches of a filter: as a feed, a page, busy times or a file,
        and only as much of each entry as you say. You see it through their eyes first, you see whether anybody reads
        it, and you can take it back at any time.
      </p>
      <h2 class="text-soft mt-5 mb-1 text-[13px]">For example</h2>
      <dl class="border-line mb-4 grid grid-cols-[150px_1fr] gap-x-4 gap-y-1 border-l-4 pl-3">
        <dt class="text-soft">what</dt>
        <dd>Vessel berths, from one week ago</dd>
        <dt class="text-soft">how much of it</dt>
        <dd>titles and times without people and notes; private entries as busy</dd>
        <dt class="text-soft">how</dt>
        <dd>a feed to follow, and a page to look at</dd>
        <dt class="text-soft">to whom</dt>
        <dd>the harbour, at its own address that can be revoked</dd>
      </dl>
      <Action kind="main" href="/share/new">New share</Action>
    </div>
  {/if}
  <ul>
    {#each rows as one (one.id)}
      {@const trouble = wrong(one)}
      <li>
        <a
          data-share
          href="/share/{one.id}"
          class="border-line hover:bg-shade grid grid-cols-[minmax(220px,1.3fr)_minmax(200px,1.2fr)_minmax(150px,0.8fr)_190px_120px] items-center gap-4 border-b px-4 py-1.5 max-[1050px]:grid-cols-[1fr_1fr_120px]"
        >
          <span class="min-w-0">
            <strong class="block truncate">{one.title}</strong>
            <span class="text-soft block truncate text-[13px]"
              >of {one.owner} · {one.names.join(', ') || one.filter}</span
            >
          </span>
          <span class="min-w-0">
            <span class="block truncate">{one.says}</span>
            <span class="text-soft block truncate text-[13px]"
              >{one.forms.map((form) => formName(shares.data?.formats, form)).join(', ') || 'in no form'}{one.fixed_at
                ? ' · fixed'
                : ''}{one.until ? ` · until ${one.until}` : ''}</span
            >
          </span>
          <span class="min-w-0 truncate max-[1050px]:hidden">{readersOf(one)}</span>
          <span class="max-[1050px]:hidden"
            ><Bars bars={one.bars} label="{one.title}: downloaded {count(one.fetched)} times in 90 days" /></span
          >
          <span class="text-right text-[13px]"
            >{#if trouble}<span class="text-changed font-bold">! {trouble}</span>{:else}<span class="figures"
                >{count(one.fetched)} ×</span
              >{/if}</span
          >
        </a>
      </li>
    {/each}
  </ul>
</div>
