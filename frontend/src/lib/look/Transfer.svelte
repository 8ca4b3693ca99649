<script lang="ts">
  import Input from '$lib/ui/Input.svelte';
  import Select from '$lib/ui/Select.svelte';
  import { goto } from '$app/navigation';
  import Action from '$lib/ui/Action.svelte';
  import JobLine from '$lib/ui/JobLine.svelte';
  import Sheet from '$lib/ui/Sheet.svelte';
  import { answer, client, type Job, type Schemas } from '$lib/api/client';
  import { accountsQuery, calendarsQuery } from '$lib/api/queries';
  import { attempt } from '$lib/state/attempt';
  import { notices } from '$lib/state/notice.svelte';
  import { counted, freeName } from '$lib/ui/words';

  /** Copying or moving a selection: where to, and what happens to what stands there already. */
  type Props = {
    selection: Schemas['SelectionIn'];
    chosen: number;
    name: string;
    to?: number;
    onclose: () => void;
  };
  const { selection, chosen, name, to, onclose }: Props = $props();

  const calendars = calendarsQuery();
  const accounts = accountsQuery();
  const places = $derived([
    ...(accounts.data ?? [])
      .filter((account) => account.kind === 'server')
      .map((account) => ({ id: account.id as number | null, name: account.name })),
    { id: null, name: 'Only here' },
  ]);
  /** The name of a new calendar, once somebody has typed one. */
  let typed = $state<string | null>(null);
  // svelte-ignore state_referenced_locally
  let target = $state(to ? `calendar:${to}` : '');
  let existing = $state<Schemas['TargetIn']['existing']>('skip');
  let move = $state(false);
  let tell = $state(false);
  let job = $state<number | null>(null);
  const RULES = [
    { value: 'skip', name: 'leave it there as it is' },
    { value: 'newer', name: 'replace it if the copy is newer' },
    { value: 'both', name: 'keep both, the copy under a new UID' },
  ] as const;

  const place = $derived(places.find((one) => target === `new:${one.id ?? ''}`));
  const fresh = $derived(
    typed ??
      freeName(
        name,
        (calendars.data ?? []).map((one) => one.name),
        place?.id ? place.name : '',
      ),
  );
  const wanted = $derived.by((): Schemas['TargetIn'] => {
    const rest = { existing, move, tell };
    const [kind, id] = target.split(':');
    if (kind === 'calendar') return { ...rest, calendar_id: Number(id), account_id: null, name: '' };
    return { ...rest, calendar_id: null, account_id: id ? Number(id) : null, name: fresh };
  });
  const where = $derived.by(() => {
    const [kind, id] = target.split(':');
    if (kind === 'calendar') return calendars.data?.find((calendar) => calendar.id === Number(id))?.label ?? '…';
    return `a new ${fresh.trim() || 'calendar'}${place?.id ? ` on ${place.name}` : ''}`;
  });

  async function start(): Promise<void> {
    await attempt(async () => {
      const body = { chosen: selection, target: wanted };
      job = (await answer(client.POST('/api/transfers', { body }))).job_id;
    });
  }

  function ended(done: Job): void {
    if (done.state === 'done') {
      onclose();
      void goto(`/mend/${done.result.set_id}`);
    } else {
      job = null;
      notices.say(done.message, 'wrong');
    }
  }
</script>

<Sheet label="Copy or move" {onclose}>
  <h2 class="mb-2 text-lg font-bold">{move ? 'Move' : 'Copy'} {counted(chosen, 'entry', 'entries')}</h2>
  <p class="text-soft mb-3">
    Series go whole, with all their changed occurrences. You see every change before anything happens.
  </p>
  <label class="mb-2 flex items-center gap-2">
    <span class="w-24">To</span>
    <Select bind:value={target} aria-label="To" class="min-w-0 flex-1">
      <option value="" disabled>choose a calendar</option>
      {#each places as place (place.id)}
        <optgroup label={place.name}>
          <option value="new:{place.id ?? ''}">a new calendar{place.id ? ` on ${place.name}` : ''}</option>
          {#each (calendars.data ?? []).filter((c) => c.writable && (c.account_id ?? null) === place.id) as calendar (calendar.id)}
            <option value="calendar:{calendar.id}">{calendar.name} ({calendar.state})</option>
          {/each}
        </optgroup>
      {/each}
    </Select>
  </label>
  {#if target.startsWith('new:')}
    <label class="mb-2 flex items-center gap-2">
      <span class="w-24">Called</span>
      <Input bind:value={() => fresh, (said: string) => (typed = said)} maxlength={200} class="min-w-0 flex-1" />
    </label>
  {/if}
  <fieldset class="mb-2">
    <legend class="text-soft">If an entry with the same UID stands there already</legend>
    {#each RULES as rule (rule.value)}
      <label class="flex gap-2">
        <input type="radio" class="accent-brass" value={rule.value} bind:group={existing} />{rule.name}
      </label>
    {/each}
  </fieldset>
  <label class="flex gap-2">
    <input type="checkbox" class="accent-brass" bind:checked={move} />
    <span>Move: delete each at its source once it has been read back at the target</span>
  </label>
  <label class="flex gap-2">
    <input type="checkbox" class="accent-brass" bind:checked={tell} />
    <span>Let the server there invite the attendees anew <span class="text-soft">(off: nobody is told)</span></span>
  </label>
  {#if job !== null}<div class="mt-3"><JobLine id={job} onended={ended} /></div>{/if}
  {#snippet actions()}
    <Action
      kind="main"
      onclick={() => void start()}
      disabled={!target || job !== null || (target.startsWith('new:') && !fresh.trim())}
    >
      Look at {move ? 'moving' : 'copying'} to {target ? where : '…'}
    </Action>
  {/snippet}
</Sheet>
