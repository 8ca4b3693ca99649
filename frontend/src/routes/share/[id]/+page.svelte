<script lang="ts">
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
  import { attempt } from '$lib/state/attempt';
  import { keys } from '$lib/state/keys.svelte';
  import { notices } from '$lib/state/notice.svelte';
  import { FORM_NAMES, sharesQuery, type Told } from '$lib/share/share';
  import { count, lately, octets } from '$lib/ui/words';

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

  const endingName = $derived(
    ending === 'share' ? (share?.title ?? '') : ending?.name || 'everybody who has the address',
  );

  const again = () => queries.invalidateQueries({ queryKey: ['shares'] });

  async function renew(reader: Schemas['ReaderOut']): Promise<void> {
    await attempt(async () => {
      const path = { reader: reader.id };
      const next = await answer(client.POST('/api/readers/{reader}/renew', { params: { path } }));
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
        ? answer(client.DELETE('/api/shares/{share}', { params: { path: { share: share.id } } }))
        : answer(client.DELETE('/api/readers/{reader}', { params: { path: { reader: what.id } } })),
    );
    if (!done) return;
    notices.say(
      what === 'share'
        ? `${name} is taken back as a whole.`
        : `What ${name} was given is taken back; it answers so at once.`,
    );
    await again();
    if (what === 'share') await goto('/share');
  }
  async function sendOn(): Promise<void> {
    const reader = sending;
    if (!reader) return;
    const done = await attempt(() =>
      answer(client.PUT('/api/readers/{reader}/target', { params: { path: { reader: reader.id } }, body: { target } })),
    );
    if (!done) return;
    sending = null;
    notices.say(target.trim() ? 'Who comes by that address is sent on from now on.' : 'The address leads here again.');
    await again();
  }
  async function setPassword(): Promise<void> {
    const reader = asking;
    if (!reader) return;
    const path = { reader: reader.id };
    const done = await attempt(() =>
      answer(client.PUT('/api/readers/{reader}/password', { params: { path }, body: { password } })),
    );
    if (!done) return;
    asking = null;
    notices.say(password ? `${reader.name}'s program is asked for it from now on.` : 'No password is asked for.');
    await again();
  }
  async function handOver(): Promise<void> {
    if (!share) return;
    const path = { share: share.id };
    const done = await attempt(() =>
      answer(client.POST('/api/shares/{share}/owner', { params: { path }, body: { owner, contact } })),
    );
    if (!done) return;
    handing = false;
    notices.say(`It belongs to ${owner} now; every address stays as it is.`);
    await again();
  }

  onMount(() =>
    keys.offer([
      { key: 'n', does: 'give it to a reader', aim: 'change', run: () => (giving = true) },
      {
        key: 'e',
        does: 'say otherwise what it gives',
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
  <p class="px-4 py-6">There is no such share any more. <a class="underline" href="/share">All shares</a></p>
{:else if share}
  <div class="flex flex-wrap items-start gap-x-6 gap-y-2 px-4 py-2">
    <div class="min-w-[320px] flex-1">
      <p class="text-[13px]"><a class="text-soft underline" href="/share">All shares</a></p>
      <h1 class="text-lg font-bold">{share.title}</h1>
      <p>
        {share.says} <span class="text-soft">· of {share.names.join(', ') || `what “${share.filter}” says`}</span>
      </p>
      <p class="text-soft text-[13px]">
        {share.forms.map((form) => FORM_NAMES[form]).join(', ') || 'in no form'} · {share.fixed_at
          ? `fixed as of ${lately(share.fixed_at)}`
          : `kept up to date`}{share.until ? ` · until ${share.until}${share.over ? ', which is over' : ''}` : ''} · belongs
        to {share.owner}{share.contact ? ` (${share.contact})` : ''}{share.sites.length
          ? ` · the page may stand in ${share.sites.join(', ')}`
          : ''}
      </p>
    </div>
    <div class="text-right">
      <Bars bars={share.bars} label="Given out {count(share.fetched)} times in 90 days" high={30} />
      <p class="figures text-[13px]">
        90 days: {count(share.fetched)} × · {octets(share.octets)}{share.refused
          ? ` · ${count(share.refused)} refused`
          : ''}
      </p>
      <p class="figures text-soft text-[12px]">
        {share.uses
          .map((use) => `${FORM_NAMES[use.form] ?? use.form} ${count(use.fetched + use.unchanged)} ×`)
          .join(' · ')}
      </p>
    </div>
    <div class="flex flex-wrap gap-2">
      <Action href="/share/{share.id}/edit" key="e">See it, or change what it gives</Action>
      <Action href="/api/shares/{share.id}/file" hint="what readers get now, once">Take the file</Action>
      <Action
        onclick={() => {
          [owner, contact, handing] = ['', '', true];
        }}>Hand over…</Action
      >
      <Action kind="grave" onclick={() => (ending = 'share')}>Take back all of it</Action>
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
      <Action kind={share.readers.length ? 'plain' : 'main'} onclick={() => (giving = true)} key="n">Give it to…</Action
      >
    </div>
    {#if !share.readers.length}<p class="border-changed mx-4 border-l-4 pl-3">
        Nobody can read it yet: it has no address. Give it to everybody who has the address, or to readers by name.
      </p>{/if}
    {#if !shares.data?.door}<p class="border-changed mx-4 mt-2 border-l-4 pl-3">
        Readers have no door: addresses lead nowhere until Date Bridge is started with
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
    <Sheet label="Take back" onclose={() => (ending = null)}>
      <h2 class="mb-2 text-lg font-bold">
        {ending === 'share' ? `Take back “${endingName}” as a whole` : `Take back what ${endingName} was given`}
      </h2>
      <p>
        {ending === 'share' ? 'Every address of it' : 'The address'} answers at once that it was taken back, and to ask {share.owner}.
        What somebody has fetched already stays with them.
      </p>
      {#snippet actions()}
        <Action kind="grave" onclick={() => void end()}
          >{ending === 'share' ? 'Take back all of it' : `Take back the address of ${endingName}`}</Action
        >
      {/snippet}
    </Sheet>
  {/if}
  {#if sending}
    <Sheet label="Send readers on" onclose={() => (sending = null)}>
      <h2 class="mb-2 text-lg font-bold">Send {sending.name || 'everybody who has the address'} on</h2>
      <p class="mb-3">
        Who comes by this address is sent to the new place (301), so that after a cutover old readers find it. An
        address of another share that ends in / keeps the form that was asked for.
      </p>
      <Field label="The new address; empty to lead here again"
        ><Input bind:value={target} spellcheck="false" placeholder="https://lantern.example/…" /></Field
      >
      {#snippet actions()}
        <Action kind="main" onclick={() => void sendOn()}
          >{target.trim() ? 'Send them there' : 'Lead here again'}</Action
        >
      {/snippet}
    </Sheet>
  {/if}
  {#if asking}
    <Sheet label="Password for {asking.name}" onclose={() => (asking = null)}>
      <h2 class="mb-2 text-lg font-bold">The password {asking.name}'s program has to give</h2>
      <p class="mb-3">Tell it apart from the address. Only a digest of it is kept.</p>
      <Field label="Password; empty for none"
        ><Input bind:value={password} maxlength={200} autocomplete="new-password" /></Field
      >
      {#snippet actions()}
        <Action kind="main" onclick={() => void setPassword()}
          >{password ? 'Ask for it from now on' : 'Ask for none'}</Action
        >
      {/snippet}
    </Sheet>
  {/if}
  {#if handing}
    <Sheet label="Hand over {share.title}" onclose={() => (handing = false)}>
      <h2 class="mb-2 text-lg font-bold">Hand “{share.title}” over to another role</h2>
      <p class="mb-3">It belongs to {share.owner} now. Every address stays as it is.</p>
      <Field label="Role"><Input bind:value={owner} placeholder="lab office" /></Field>
      <Field label="How readers ask it"><Input bind:value={contact} placeholder="lab-office@skerrow.example" /></Field>
      {#snippet actions()}
        <Action kind="main" onclick={() => void handOver()} disabled={!owner.trim()}
          >Hand it over to {owner.trim() || '…'}</Action
        >
      {/snippet}
    </Sheet>
  {/if}
{:else}<p class="text-soft px-4 py-6" role="status">Reading the share…</p>{/if}
