<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query';
  import { onMount } from 'svelte';
  import Action from '$lib/ui/Action.svelte';
  import Input from '$lib/ui/Input.svelte';
  import JobLine from '$lib/ui/JobLine.svelte';
  import { answer, client, type Job, type Schemas } from '$lib/api/client';
  import { refreshAll } from '$lib/api/queries';
  import { attempt, begin } from '$lib/state/attempt.svelte';
  import { notices } from '$lib/state/notice.svelte';
  import { counted } from '$lib/ui/words';

  /** What the owners are told: the template, and each message as it will be sent. */
  type Props = { crossing: number; mails: boolean; onclose: () => void };
  const { crossing, mails, onclose }: Props = $props();

  const queries = useQueryClient();
  const path = $derived({ crossing_id: crossing });
  let template = $state<Schemas['TemplateIO'] | null>(null);
  let messages = $state<Schemas['OwnerMessageOut'][]>([]);
  let to = $state<Record<string, string>>({});
  let shown = $state(0);
  let job = $state<number | null>(null);
  const due = $derived(messages.filter((one) => !one.sent && to[one.key]?.trim()));
  const open = $derived(messages[shown]);

  async function preview(body?: Schemas['TemplateIO']): Promise<void> {
    await attempt(async () => {
      const made = await answer(client.POST('/api/crossings/{crossing_id}/owners', { params: { path }, body }));
      [template, messages] = [made.template, made.messages];
      to = Object.fromEntries(made.messages.map((one) => [one.key, to[one.key] ?? one.mail]));
    });
  }

  async function tell(): Promise<void> {
    if (!template) return;
    const body = { template, to: Object.fromEntries(due.map((one) => [one.key, (to[one.key] ?? '').trim()])) };
    await begin(async () => {
      const call = client.POST('/api/crossings/{crossing_id}/owners/tell', { params: { path }, body });
      job = (await answer(call)).job_id;
    });
  }

  async function ended(done: Job): Promise<void> {
    job = null;
    await refreshAll(queries);
    await preview(template ?? undefined);
    const { told = 0, trouble = 0 } = (done.result ?? {}) as { told?: number; trouble?: number };
    if (done.state !== 'done') notices.say(done.message, 'wrong');
    else notices.say(`${counted(told, 'owner was', 'owners were')} told${trouble ? `; ${trouble} not` : ''}.`);
  }

  async function otherwise(): Promise<void> {
    await attempt(async () => {
      const params = { path: { ...path, step: 'messages' as const } };
      await answer(
        client.POST('/api/crossings/{crossing_id}/cutover/{step}', { params, body: { days: 1, otherwise: true } }),
      );
      await refreshAll(queries);
      onclose();
    });
  }

  onMount(() => void preview());
</script>

{#if template}
  <div class="bg-shade border-line my-2 border p-3">
    <div class="grid gap-4 lg:grid-cols-2">
      <div class="flex flex-col gap-2">
        <label class="flex items-center gap-2"
          ><span class="w-16">Subject</span>
          <Input
            bind:value={template.subject}
            class="flex-1"
            onchange={() => template && void preview(template)}
          /></label
        >
        <label class="flex flex-col gap-1"
          ><span>Text of the template</span>
          <textarea
            class="field h-56 py-1 text-[13px]"
            bind:value={template.text}
            onchange={() => template && void preview(template)}></textarea></label
        >
        <p class="text-soft text-[12px]">
          {'{name}'}, {'{old}'}, {'{target}'}, {'{calendars}'} and {'{address}'} stand for what is each owner’s.
        </p>
      </div>
      <div class="flex min-w-0 flex-col gap-2">
        <ul class="max-h-40 overflow-y-auto" aria-label="Owners">
          {#each messages as one, at (one.key)}
            <li class="flex items-center gap-2 py-0.5 text-[13px]">
              <button
                class="w-40 truncate text-left underline {shown === at ? 'font-bold' : ''}"
                onclick={() => (shown = at)}
                aria-current={shown === at ? 'true' : undefined}>{one.name || 'unknown owner'}</button
              >
              <a
                class="text-ink underline"
                href="/api/crossings/{crossing}/report?owner={encodeURIComponent(one.key)}"
                download
                data-sveltekit-reload
                aria-label="Report for {one.name || 'the unknown owner'}">report</a
              >
              {#if one.sent}<span class="text-added">told</span>
              {:else}<Input
                  bind:value={to[one.key]}
                  aria-label="Mail address of {one.name || 'the unknown owner'}"
                  placeholder="mail address: nobody knows it"
                  class="min-w-0 flex-1"
                />{/if}
            </li>
          {/each}
        </ul>
        {#if open}
          <div class="border-line bg-sheet min-h-40 flex-1 overflow-y-auto border p-2 text-[13px]">
            <p class="font-bold">{open.subject}</p>
            <p class="whitespace-pre-wrap">{open.text}</p>
          </div>
        {/if}
      </div>
    </div>
    {#if job !== null}<JobLine id={job} onended={(done) => void ended(done)} />{/if}
    <p class="mt-2 flex flex-wrap items-center gap-2">
      {#if !mails}<span class="text-changed">No mail server is set up, so nothing can be sent from here.</span>{/if}
      <span class="ml-auto flex gap-2">
        <Action onclick={onclose}>Close</Action>
        <Action onclick={() => void otherwise()}>They were told in another way</Action>
        <Action kind="main" onclick={() => void tell()} disabled={!mails || job !== null || !due.length}
          >Send {counted(due.length, 'message', 'messages')}</Action
        >
      </span>
    </p>
  </div>
{/if}
