<script lang="ts">
  import { sharesQuery } from '$lib/share/share';
  import { key, query } from '$lib/api/queries';
  import { tick } from 'svelte';
  import Action from '$lib/ui/Action.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Input from '$lib/ui/Input.svelte';
  import Sheet from '$lib/ui/Sheet.svelte';
  import { answer, client } from '$lib/api/client';
  import { attempt } from '$lib/state/attempt.svelte';
  import { notices } from '$lib/state/notice.svelte';
  import type { Share, Told } from '$lib/share/share';

  /** An address as it is told this once: to be copied, sent as an invitation, or put into a site. */
  type Props = { share: Share; told: Told; name: string; canMail: boolean; onclose: () => void };
  const { share, told, name, canMail, onclose }: Props = $props();
  const shares = sharesQuery();
  const others = $derived(
    (shares.data?.formats ?? []).filter(
      (one) => share.forms.includes(one.form) && !['feed', 'page'].includes(one.form),
    ),
  );
  const reader = $derived(share.readers.find((one) => one.id === told.reader));
  const offered = query(() => ({
    queryKey: key('invitation', told.reader),
    queryFn: () =>
      answer(client.GET('/api/readers/{reader_id}/invitation', { params: { path: { reader_id: told.reader } } })),
    staleTime: Infinity,
  }));
  let inviting = $state(false);
  let subject = $state('');
  let subjectField = $state<HTMLInputElement>();
  let text = $state('');
  let attach = $state(false);
  const snippet = $derived(
    `<iframe src="${told.address}" title="${share.title.replaceAll('"', '&quot;').replaceAll('<', '&lt;')}" width="100%" height="640" style="border:0" sandbox="allow-scripts allow-same-origin allow-forms allow-downloads allow-popups"></iframe>`,
  );

  function begin(): void {
    [subject, text] = [offered.data?.subject ?? '', offered.data?.text ?? ''];
    inviting = true;
    void tick().then(() => subjectField?.focus());
  }
  async function copy(what: string, called: string): Promise<void> {
    try {
      await navigator.clipboard.writeText(what);
      notices.say(`${called} is copied.`);
    } catch {
      notices.say('The browser does not allow copying here. Select the text and copy it.', 'wrong');
    }
  }
  const body = $derived({ address: told.address, subject, text, attach });
  async function send(): Promise<void> {
    const done = await attempt(() =>
      answer(
        client.POST('/api/readers/{reader_id}/invitation', { params: { path: { reader_id: told.reader } }, body }),
      ),
    );
    if (!done) return;
    notices.say(`${name} is invited.`);
    onclose();
  }
  async function take(): Promise<void> {
    await attempt(async () => {
      const file = (await answer(
        client.POST('/api/readers/{reader_id}/invitation/file', {
          params: { path: { reader_id: told.reader } },
          body,
          parseAs: 'blob',
        }),
      )) as unknown as Blob;
      const link = document.createElement('a');
      link.href = URL.createObjectURL(file);
      link.download = 'invitation.eml';
      link.click();
      URL.revokeObjectURL(link.href);
      notices.say('The invitation is saved as a file. Send it with your mail program.');
    });
  }
</script>

{#snippet line(label: string, value: string)}
  <div class="mb-2 flex items-end gap-2">
    <label class="min-w-0 flex-1"
      ><span class="mb-1 block">{label}</span><input class="field figures w-full text-[13px]" readonly {value} /></label
    >
    <Action onclick={() => void copy(value, label)} named="Copy: {label}">Copy</Action>
  </div>
{/snippet}

<Sheet label="The address for {name || 'everybody'}" width={720} leave="Done" {onclose}>
  <h2 class="mb-1 text-lg font-bold">The address for {name || 'everybody'}</h2>
  <p class="border-changed mb-3 border-l-4 pl-3">
    This is the only time it is shown. Anyone who has it can read “{share.title}”. Only its digest is stored.
  </p>
  {#if !inviting}
    {#if share.forms.includes('page')}{@render line('The page', told.address)}{/if}
    {#if share.forms.includes('feed')}{@render line('The feed', told.feed)}{@render line(
        'The feed, as a webcal: link',
        told.webcal,
      )}{/if}
    {#each others as one (one.form)}{@render line(one.title, `${told.address}${one.path}`)}{/each}
    {#if share.forms.includes('page') && share.sites.length}{@render line(
        `The piece of HTML for ${share.sites.join(', ')}`,
        snippet,
      )}{/if}
  {:else}
    <p class="text-soft mb-2">
      To {reader?.mail}. <code class="figures">{'{address}'}</code> stands for the reader's own address.
    </p>
    <Field label="Subject"><Input bind:element={subjectField} bind:value={subject} maxlength={200} /></Field>
    <Field label="Text"
      ><textarea class="border-line bg-paper w-full border px-2 py-1" rows="12" bind:value={text}></textarea></Field
    >
    <label class="flex gap-2"
      ><input type="checkbox" class="accent-brass" bind:checked={attach} /> with the shared entries as a file</label
    >
  {/if}
  {#snippet actions()}
    {#if inviting}
      {#if canMail}<Action kind="main" onclick={() => void send()}>Send to {name}</Action>{/if}
      <Action kind={canMail ? 'plain' : 'main'} onclick={() => void take()}>Save the message as a file</Action>
      <Action onclick={() => (inviting = false)}>Back</Action>
    {:else if reader?.mail}
      <Action kind="main" onclick={begin} disabled={!offered.data}>Invite {name} by mail…</Action>
    {/if}
  {/snippet}
</Sheet>
