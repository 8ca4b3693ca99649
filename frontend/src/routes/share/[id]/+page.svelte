<script lang="ts">
  import { refresh } from '$lib/api/queries';
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { useQueryClient } from '@tanstack/svelte-query';
  import { onMount } from 'svelte';
  import Action from '$lib/ui/Action.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Input from '$lib/ui/Input.svelte';
  import Sheet from '$lib/ui/Sheet.svelte';
  import Bars from '$lib/share/Bars.svelte';
  import GiveTo from '$lib/share/GiveTo.svelte';
  import HostList from '$lib/share/HostList.svelte';
  import ReaderRow from '$lib/share/ReaderRow.svelte';
  import TellReader from '$lib/share/TellReader.svelte';
  import { answer, client, type Schemas } from '$lib/api/client';
  import { attempt } from '$lib/state/attempt.svelte';
  import { keys } from '$lib/state/keys.svelte';
  import { notices } from '$lib/state/notice.svelte';
  import { formName, sharesQuery, type Told } from '$lib/share/share';
  import { count, lately, bytes } from '$lib/ui/words';

  /** A share: what it gives, who reads it and how often, where it is handed out to; and taking it back. */
  const queries = useQueryClient();
  const shares = sharesQuery();
  const share = $derived(shares.data?.shares.find((one) => one.id === Number(page.params.id)));
  let giving = $state(false);
  let told = $state<{ told: Told; name: string } | null>(null);
  let ending = $state<Schemas['ReaderOut'] | 'share' | null>(null);
  let sending = $state<Schemas['ReaderOut'] | null>(null);
  let asking = $state<Schemas['ReaderOut'] | null>(null);
  let password = $state('');
  let handing = $state(false);
  let target = $state('');
  let owner = $state('');
  let contact = $state('');

  const endingName = $derived(ending === 'share' ? (share?.title ?? '') : ending?.name || 'everyone with the address');

  const again = () => refresh(queries, 'shares');

  async function renew(reader: Schemas['ReaderOut']): Promise<void> {
    await attempt(async () => {
      const path = { reader_id: reader.id };
      const next = await answer(client.POST('/api/readers/{reader_id}/renew', { params: { path } }));
      told = { told: next, name: reader.name };
    });
    await again();
  }
  async function end(): Promise<void> {
    const what = ending;
    ending = null;
    if (!share || !what) return;
    const name = what === 'share' ? share.title : what.name || 'everybody';
    const done = await attempt(() =>
      what === 'share'
        ? answer(client.DELETE('/api/shares/{share_id}', { params: { path: { share_id: share.id } } }))
        : answer(client.DELETE('/api/readers/{reader_id}', { params: { path: { reader_id: what.id } } })),
    );
    if (!done) return;
    notices.say(what === 'share' ? `${name} is revoked.` : `The access of ${name} is revoked.`);
    await again();
    if (what === 'share') await goto('/share');
  }
  async function sendOn(): Promise<void> {
    const reader = sending;
    if (!reader) return;
    const done = await attempt(() =>
      answer(
        client.PUT('/api/readers/{reader_id}/target', { params: { path: { reader_id: reader.id } }, body: { target } }),
      ),
    );
    if (!done) return;
    sending = null;
    notices.say(target.trim() ? 'The address is redirected from now on.' : 'The address is no longer redirected.');
    await again();
  }
  async function setPassword(): Promise<void> {
    const reader = asking;
    if (!reader) return;
    const path = { reader_id: reader.id };
    const done = await attempt(() =>
      answer(client.PUT('/api/readers/{reader_id}/password', { params: { path }, body: { password } })),
    );
    if (!done) return;
    asking = null;
    notices.say(password ? `${reader.name}'s program is asked for it from now on.` : 'No password is required.');
    await again();
  }
  async function handOver(): Promise<void> {
    if (!share) return;
    const path = { share_id: share.id };
    const done = await attempt(() =>
      answer(client.POST('/api/shares/{share_id}/owner', { params: { path }, body: { owner, contact } })),
    );
    if (!done) return;
    handing = false;
    notices.say(`The owner is now ${owner}. All addresses stay the same.`);
    await again();
  }

  onMount(() =>
    keys.offer([
      { key: 'n', does: 'invite a reader', aim: 'change', run: () => (giving = true) },
      {
        key: 'e',
        does: 'change the share',
        aim: 'change',
        run: () => void goto(`/share/${share?.id}/edit`),
      },
      { key: 'Escape', does: 'all shares', aim: 'go', run: () => void goto('/share') },
    ]),
  );
</script>

<svelte:head><title>{share?.title ?? 'Share'} · Date Bridge</title></svelte:head>
{#if shares.isError}<p class="text-removed px-4 py-2">{shares.error.message}</p>{/if}
{#if shares.data && !share}
  <p class="px-4 py-6">This share no longer exists. <a class="underline" href="/share">All shares</a></p>
{:else if share}
  <div class="flex flex-wrap items-start gap-x-6 gap-y-2 px-4 py-2">
    <div class="flex w-full flex-wrap items-center gap-2">
      <h1 class="text-lg font-bold">{share.title}</h1>
      <p class="min-w-0 flex-1 text-[13px]"><a class="text-soft underline" href="/share">All shares</a></p>
      <Action href="/share/{share.id}/edit" key="e">Preview or change the share</Action>
      <Action href="/api/shares/{share.id}/file" hint="the shared entries as they are now">Download the file</Action>
      <Action
        onclick={() => {
          [owner, contact, handing] = ['', '', true];
        }}>Change the owner…</Action
      >
      <Action kind="grave" onclick={() => (ending = 'share')}>Revoke share</Action>
    </div>
    <div class="min-w-[320px] flex-1">
      <p>
        {share.says} <span class="text-soft">· of {share.names.join(', ') || `what “${share.filter}” says`}</span>
      </p>
      <p class="text-soft text-[13px]">
        {share.forms.map((form) => formName(shares.data?.formats, form)).join(', ') || 'in no form'} · {share.fixed_at
          ? `fixed as of ${lately(share.fixed_at)}`
          : `kept up to date`}{share.until ? ` · until ${share.until}${share.over ? ', which is over' : ''}` : ''} · belongs
        to {share.owner}{share.contact ? ` (${share.contact})` : ''}{share.sites.length
          ? ` · the page may stand in ${share.sites.join(', ')}`
          : ''}
      </p>
    </div>
    <div class="text-right">
      <Bars bars={share.bars} label="Downloaded {count(share.fetched)} times in 90 days" high={30} />
      <p class="figures text-[13px]">
        90 days: {count(share.fetched)} × · {bytes(share.size)}{share.refused
          ? ` · ${count(share.refused)} refused`
          : ''}
      </p>
      <p class="figures text-soft text-[12px]">
        {share.uses
          .map((use) => `${formName(shares.data?.formats, use.form)} ${count(use.fetched + use.unchanged)} ×`)
          .join(' · ')}
      </p>
    </div>
  </div>
  <div
    class="border-ink min-h-0 flex-1 overflow-y-auto border-t"
    role="region"
    aria-label="Readers and hosts"
    tabindex="-1"
    data-rest
    data-part
  >
    <div class="flex items-center gap-3 px-4 pt-3 pb-1">
      <h2 class="font-bold">Readers</h2>
      <Action kind={share.readers.length ? 'plain' : 'main'} onclick={() => (giving = true)} key="n"
        >Invite reader…</Action
      >
    </div>
    {#if !share.readers.length}<p class="border-changed mx-4 border-l-4 pl-3">
        Nobody can read it yet: it has no address. Give it to everyone with the address, or to readers by name.
      </p>{/if}
    {#if !shares.data?.door}<p class="border-changed mx-4 mt-2 border-l-4 pl-3">
        Addresses do not work until Date Bridge is started with
        <code class="figures">--share</code>.
      </p>{/if}
    <ul>
      {#each share.readers as reader (reader.id)}
        <ReaderRow
          {reader}
          onrenew={() => void renew(reader)}
          onend={() => (ending = reader)}
          onsend={() => {
            target = '';
            sending = reader;
          }}
          onpassword={() => {
            password = '';
            asking = reader;
          }}
        />
      {/each}
    </ul>
    <HostList {share} />
  </div>
  {#if giving}<GiveTo
      {share}
      onclose={() => (giving = false)}
      ontold={(next, name) => (told = { told: next, name })}
    />{/if}
  {#if told}<TellReader {share} {...told} canMail={shares.data?.mail ?? false} onclose={() => (told = null)} />{/if}
  {#if ending}
    <Sheet label="Revoke" onclose={() => (ending = null)}>
      <h2 class="mb-2 text-lg font-bold">
        {ending === 'share' ? `Revoke “${endingName}”` : `Revoke the access of ${endingName}`}
      </h2>
      <p>
        {ending === 'share' ? 'All its addresses stop' : 'The address stops'} working at once, and {ending === 'share'
          ? 'refer'
          : 'refers'} readers to {share.owner}. What somebody has fetched already stays with them.
      </p>
      {#snippet actions()}
        <Action kind="grave" onclick={() => void end()}
          >{ending === 'share' ? 'Revoke share' : `Revoke the address of ${endingName}`}</Action
        >
      {/snippet}
    </Sheet>
  {/if}
  {#if sending}
    <Sheet label="Redirect readers" onclose={() => (sending = null)}>
      <h2 class="mb-2 text-lg font-bold">Redirect {sending.name || 'everyone with the address'}</h2>
      <p class="mb-3">
        Requests for this address are redirected (301), so that readers find the new one after a cutover. If the new
        address is a share and ends in /, the format stays the same.
      </p>
      <Field label="New address; leave empty to stop redirecting"
        ><Input bind:value={target} spellcheck="false" placeholder="https://lantern.example/…" /></Field
      >
      {#snippet actions()}
        <Action kind="main" onclick={() => void sendOn()}
          >{target.trim() ? 'Redirect readers' : 'Stop redirecting'}</Action
        >
      {/snippet}
    </Sheet>
  {/if}
  {#if asking}
    <Sheet label="Password for {asking.name}" onclose={() => (asking = null)}>
      <h2 class="mb-2 text-lg font-bold">Password for {asking.name}</h2>
      <p class="mb-3">Send it separately from the address. Only its digest is stored.</p>
      <Field label="Password; leave empty for none"
        ><Input bind:value={password} maxlength={200} autocomplete="new-password" /></Field
      >
      {#snippet actions()}
        <Action kind="main" onclick={() => void setPassword()}
          >{password ? 'Require this password' : 'Require no password'}</Action
        >
      {/snippet}
    </Sheet>
  {/if}
  {#if handing}
    <Sheet label="Change the owner of {share.title}" onclose={() => (handing = false)}>
      <h2 class="mb-2 text-lg font-bold">Change the owner of “{share.title}”</h2>
      <p class="mb-3">The owner is {share.owner}. All addresses stay the same.</p>
      <Field label="Role"><Input bind:value={owner} placeholder="lab office" /></Field>
      <Field label="Contact for readers"><Input bind:value={contact} placeholder="lab-office@skerrow.example" /></Field>
      {#snippet actions()}
        <Action kind="main" onclick={() => void handOver()} disabled={!owner.trim()}
          >Change the owner to {owner.trim() || '…'}</Action
        >
      {/snippet}
    </Sheet>
  {/if}
{:else}<p class="text-soft px-4 py-6" role="status">Reading the share…</p>{/if}
