<script lang="ts">
  import { refresh } from '$lib/api/queries';
  import { useQueryClient } from '@tanstack/svelte-query';
  import Action from '$lib/ui/Action.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Input from '$lib/ui/Input.svelte';
  import JobLine from '$lib/ui/JobLine.svelte';
  import Select from '$lib/ui/Select.svelte';
  import Sheet from '$lib/ui/Sheet.svelte';
  import { answer, client, type Schemas } from '$lib/api/client';
  import { attempt } from '$lib/state/attempt.svelte';
  import { formName, sharesQuery, type Share } from '$lib/share/share';
  import { lately } from '$lib/ui/words';

  /** The web hosts a share is handed out to, with what became of it last. */
  const { share }: { share: Share } = $props();
  const queries = useQueryClient();
  const shares = sharesQuery();
  const formats = $derived(shares.data?.formats ?? []);
  let adding = $state(false);
  let address = $state('');
  let user = $state('');
  let password = $state('');
  let form = $state<Schemas['Form']>('feed');
  let always = $state(true);
  let jobs = $state<Record<number, number>>({});

  async function add(): Promise<void> {
    const body = { address, user, password, form, always };
    const done = await attempt(() =>
      answer(client.POST('/api/shares/{share_id}/hosts', { params: { path: { share_id: share.id } }, body })),
    );
    if (!done) return;
    [adding, address, user, password] = [false, '', '', ''];
    await refresh(queries, 'shares');
  }
  async function handOut(host: number, over: boolean): Promise<void> {
    await attempt(async () => {
      const queued = await answer(
        client.POST('/api/hosts/{host_id}/hand-out', { params: { path: { host_id: host } }, body: { over } }),
      );
      jobs = { ...jobs, [host]: queued.job_id };
    });
  }
  async function leave(host: number): Promise<void> {
    await attempt(() => answer(client.DELETE('/api/hosts/{host_id}', { params: { path: { host_id: host } } })));
    await refresh(queries, 'shares');
  }
</script>

<div class="flex items-center gap-3 px-4 pt-4 pb-1">
  <h2 class="font-bold">Published to web hosts</h2>
  <Action onclick={() => (adding = true)}>Publish to a web host…</Action>
</div>
{#if !share.hosts.length}<p class="text-soft px-4 py-1 text-[13px]">
    None. The share is written to a web host as a file, once or after every change.
  </p>{/if}
<ul>
  {#each share.hosts as host (host.id)}
    <li class="border-line flex flex-wrap items-center gap-4 border-b px-4 py-1.5 text-[13px]">
      <span class="min-w-0 flex-1"
        ><strong class="figures block truncate">{host.host}</strong>
        <span class="text-soft"
          >{formName(formats, host.form)} · {host.always ? 'after every change' : 'once'}{host.user
            ? ` · as ${host.user}`
            : ''}</span
        ></span
      >
      <span class="min-w-0 flex-1"
        >{#if host.trouble}<span class="text-removed">{host.trouble}</span>{:else if host.last}<span class="text-added"
            >✓ {lately(host.last)}</span
          >
          {host.outcome}{:else}<span class="text-soft">not yet</span>{/if}</span
      >
      {#if jobs[host.id]}<JobLine
          id={jobs[host.id] ?? 0}
          onended={() => {
            jobs = { ...jobs, [host.id]: 0 };
            void refresh(queries, 'shares');
          }}
        />{/if}
      <span class="flex gap-1">
        <Action onclick={() => void handOut(host.id, false)} named="Publish now: {host.host}">Publish now</Action>
        {#if host.trouble}<Action
            kind="grave"
            onclick={() => void handOut(host.id, true)}
            named="Overwrite: {host.host}">Overwrite</Action
          >{/if}
        <Action onclick={() => void leave(host.id)} named="Stop: {host.host}">Stop</Action>
      </span>
    </li>
  {/each}
</ul>

{#if adding}
  <Sheet label="Publish {share.title} to a web host" onclose={() => (adding = false)}>
    <h2 class="mb-2 text-lg font-bold">Publish “{share.title}” to a web host</h2>
    <p class="mb-3">
      The file is written to this address by HTTP PUT, unless somebody else has changed it in the meantime.
    </p>
    <Field label="Address of the file"
      ><Input bind:value={address} spellcheck="false" placeholder="https://breakwater.example/web/berths.ics" /></Field
    >
    <div class="grid grid-cols-2 gap-3">
      <Field label="User name"><Input bind:value={user} /></Field>
      <Field label="Password"><Input bind:value={password} type="password" autocomplete="off" /></Field>
    </div>
    <div class="grid grid-cols-2 gap-3">
      <Field label="As"
        ><Select bind:value={form} class="w-full"
          >{#each formats.filter((one) => one.hosted) as one (one.form)}<option value={one.form}>{one.name}</option
            >{/each}</Select
        ></Field
      >
      <Field label="When"
        ><Select bind:value={always} class="w-full"
          ><option value={true}>after every change</option><option value={false}>once</option></Select
        ></Field
      >
    </div>
    {#snippet actions()}
      <Action kind="main" onclick={() => void add()} disabled={!address.trim()}>Publish now</Action>
    {/snippet}
  </Sheet>
{/if}
