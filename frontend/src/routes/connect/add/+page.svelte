<script lang="ts">
  import Input from '$lib/ui/Input.svelte';
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { useQueryClient } from '@tanstack/svelte-query';
  import { onMount, tick } from 'svelte';
  import type { Snapshot } from './$types';
  import { walking } from '$lib/state/focus';
  import Action from '$lib/ui/Action.svelte';
  import Deck from '$lib/ui/Deck.svelte';
  import SignOn from '$lib/connect/SignOn.svelte';
  import Consent from '$lib/connect/Consent.svelte';
  import { answer, client, Refusal, type Schemas } from '$lib/api/client';
  import { refreshAll } from '$lib/api/queries';
  import { notices } from '$lib/state/notice.svelte';
  import { count, counted, freeName } from '$lib/ui/words';
  import { rows } from '$lib/state/rows';

  /** What is at an address, before anything is connected. The address is kept out of the page's own: it may be secret. */
  const queries = useQueryClient();
  const given = page.state as { address?: string; publisher?: string };
  /** What may be typed, and what it leads to. */
  const EXAMPLES = [
    ['harbour-office@lantern.example', 'a mail address: the calendar server of its domain is looked for'],
    ['https://lantern.example/', 'a calendar server: you choose which of its calendars are switched on'],
    ['https://lantern.example/dav/calendars/ida/', 'one person’s calendars, or a single calendar of theirs'],
    ['webcal://breakwater.example/tides.ics', 'a feed: you see the coming three months, and subscribe to it'],
    ['https://breakwater.example/port', 'a page that links to calendars: they are listed to choose from'],
  ] as const;
  let address = $state(given.address ?? '');
  let publisher = given.publisher ?? '';
  let user = $state('');
  let userField = $state<HTMLInputElement>();
  let password = $state('');
  let name = $state('');
  let found = $state<Schemas['DiscoverOut'] | null>(null);
  let refusal = $state<Refusal | null>(null);
  let agreed = $state<string[]>([]);
  let busy = $state(false);
  /** Certificates, as PEM: of an authority that is trusted there too, and one of one's own with its key. */
  let authority = $state('');
  let certificate = $state('');
  const signed = $derived({ address, user, password, agreed, authority, certificate });

  async function look(event?: SubmitEvent): Promise<void> {
    event?.preventDefault();
    busy = true;
    refusal = null;
    try {
      const seen = await answer(client.POST('/api/accounts/discover', { body: signed }));
      const names = (await answer(client.GET('/api/calendars'))).map((one) => one.name);
      // Shown only now: Enter does nothing as long as something is asked.
      [found, name] = [seen, freeName(seen.title, names)];
      if (seen.locked) await toUser();
    } catch (error) {
      refusal = error instanceof Refusal ? error : new Refusal(String(error));
      if (!found?.locked) found = null;
    } finally {
      busy = false;
    }
  }

  /** A name and a password are asked for: that is where one goes on. */
  async function toUser(): Promise<void> {
    await tick();
    userField?.focus();
  }

  function agree(origin: string): void {
    agreed = [...agreed, origin];
    void look();
  }

  function follow(link: string): void {
    [address, found, agreed] = [link, null, []];
    void look();
  }

  async function add(): Promise<void> {
    busy = true;
    try {
      const body = { ...signed, name, publisher };
      await answer(client.POST('/api/accounts', { body }));
      await goto('/connect');
      notices.say(
        found?.kind === 'feed'
          ? `${name} is subscribed to, and being fetched.`
          : `${name} is connected. All its calendars are switched off: switch on those that matter.`,
      );
      await refreshAll(queries);
    } catch (error) {
      notices.wrong(error);
    } finally {
      busy = false;
    }
  }

  onMount(() => {
    if (address) void look();
  });

  // A reload shows the same again. Kept by this window alone, and never with the password.
  export const snapshot: Snapshot = {
    capture: () => ({ address, user, publisher, agreed }),
    restore: (kept) => {
      if (address) return;
      [address, user, publisher, agreed] = [kept.address, kept.user, kept.publisher, kept.agreed];
      if (address) void look();
    },
  };
</script>

{#snippet certificateField(label: string, value: string, take: (text: string) => void)}
  <label class="flex flex-col gap-1">
    <span>{label}</span>
    <textarea
      class="field figures h-20 py-1 text-[12px]"
      spellcheck="false"
      autocomplete="off"
      placeholder="-----BEGIN CERTIFICATE-----"
      {value}
      oninput={(event) => take(event.currentTarget.value)}></textarea>
  </label>
{/snippet}

<svelte:head><title>Add an account or a feed · Date Bridge</title></svelte:head>

<div
  class="min-h-0 flex-1 overflow-y-auto px-4 py-3"
  role="region"
  aria-label="Add an account or a feed"
  tabindex="-1"
  data-rest
  data-part
  {@attach walking('a[href], button', undefined, true)}
>
  <h1 class="mb-3 text-xl font-bold">Connect an account or a feed</h1>
  <form onsubmit={(event) => void look(event)} class="mb-4 flex flex-wrap items-center gap-2">
    <label class="flex min-w-0 flex-1 items-center gap-2">
      <span>Address</span>
      <Input bind:value={address} autocomplete="off" spellcheck="false" class="min-w-0 flex-1" />
    </label>
    <label class="flex items-center gap-2">
      <span>User name</span>
      <Input bind:element={userField} bind:value={user} autocomplete="off" class="w-40" />
    </label>
    <label class="flex items-center gap-2">
      <span>Password</span>
      <Input bind:value={password} type="password" autocomplete="off" class="w-40" />
    </label>
    <Action kind={found && !found.locked ? 'plain' : 'main'} submit disabled={busy || !address.trim()}>
      {busy ? 'Connecting…' : 'Connect'}
    </Action>
  </form>
  <p class="text-soft mb-4">
    Enter a user name and password only if they are required. They are stored encrypted and sent to this address only;
    if it redirects elsewhere, you are asked first. With an access token instead of a password, leave the user name
    empty.
  </p>
  <details class="mb-4" open={refusal?.trouble === 'certificate'}>
    <summary class="hover:text-brass cursor-pointer">Certificates of this server, and your own</summary>
    <div class="mt-2 grid max-w-4xl gap-x-6 gap-y-2 sm:grid-cols-2">
      {@render certificateField('An authority to trust here too', authority, (text) => (authority = text))}
      {@render certificateField('Your own certificate with its key', certificate, (text) => (certificate = text))}
    </div>
    <p class="text-soft mt-1 text-[13px]">
      As text (PEM). They count at this address and nowhere else; your own is stored encrypted.
    </p>
  </details>
  {#if !found && !refusal && !busy}
    <dl class="border-ink grid max-w-4xl grid-cols-[minmax(0,340px)_minmax(0,1fr)] gap-x-6 gap-y-2 border-t pt-3">
      {#each EXAMPLES as [typed, leads] (typed)}
        <dt class="figures break-all">{typed}</dt>
        <dd class="text-soft">{leads}</dd>
      {/each}
    </dl>
  {/if}
  {#if refusal}<Consent {refusal} onagree={agree} />{/if}
  {#if found}<p class="mb-3 text-base" role="status">{found.says}</p>{/if}
  {#if found?.sign_on || refusal?.trouble === 'sign-on' || refusal?.trouble === 'scheme'}
    <SignOn asked={{ address, agreed, authority, certificate }} alone={!found} />
  {/if}
  {#if found}
    {#if found.connected}
      <p class="border-changed mb-3 border-l-4 pl-3">Already connected as “{found.connected}”.</p>
    {/if}
    {#if found.kind === 'page'}
      <ul class="ruled border-ink border-t" {@attach rows()}>
        {#each found.links as link (link.address)}
          <li class="flex h-10 items-center gap-4">
            <span class="flex-1 truncate">{link.title}</span>
            <Action onclick={() => follow(link.address)} hint="Preview {link.title}" named="Preview: {link.title}"
              >Preview</Action
            >
          </li>
        {/each}
      </ul>
    {:else if found.kind === 'server' && !found.locked}
      <ul class="ruled border-ink border-t" {@attach rows()}>
        {#each found.calendars as calendar, k (k)}
          <li class="flex h-9 items-center gap-4">
            <span class="w-80 truncate font-medium">{calendar.name}</span>
            <span class="w-28">{calendar.may}</span>
            <span class="text-soft">{calendar.owner === 'you' ? 'yours' : `of ${calendar.owner}`}</span>
          </li>
        {/each}
      </ul>
    {:else if found.kind === 'feed' && !found.locked}
      <p class="mb-3">
        {found.entries == null
          ? `A large feed, ${count(Math.ceil(found.size / 1e6))} MB: its entries are counted after the download`
          : counted(found.entries, 'entry', 'entries')}{found.span ? `, ${found.span}` : ''}{found.interval
          ? `; ${found.interval}`
          : ''}.
      </p>
      {#if found.entries != null}
        <h2 class="border-ink border-b pb-1 font-bold">The coming three months</h2>
        {#if found.coming.length === 0}<p class="text-soft py-2">Nothing in the coming three months.</p>{/if}
      {/if}
      <ol class="ruled" {@attach rows()}>
        {#each found.coming as one, k (k)}
          <li class="flex gap-4 py-1 text-[13px]">
            <span class="figures w-32">{one.day}</span>
            <span class="figures w-14">{one.time}</span>
            <span class="truncate">{one.title}</span>
          </li>
        {/each}
      </ol>
    {/if}
  {/if}
</div>

{#if found && !found.locked && found.kind !== 'page'}
  <Deck label="Add it">
    <label class="flex items-center gap-2">
      <span>Name</span>
      <Input bind:value={name} maxlength={200} class="w-72" />
    </label>
    {#snippet actions()}
      <Action href="/connect">Cancel</Action>
      <Action kind="main" onclick={() => void add()} disabled={busy || !name.trim() || !!found?.connected}>
        {found?.kind === 'feed'
          ? `Subscribe to ${name.trim()}`
          : `Connect, with all ${count(found?.calendars.length ?? 0)} calendars switched off`}
      </Action>
    {/snippet}
  </Deck>
{/if}
