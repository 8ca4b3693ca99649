<script lang="ts">
  import Input from '$lib/ui/Input.svelte';
  import Select from '$lib/ui/Select.svelte';
  import ProposalSheet from '$lib/ui/ProposalSheet.svelte';
  import { answer, client, type Schemas } from '$lib/api/client';
  import { accountsQuery, calendarsQuery } from '$lib/api/queries';
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
  const RULES = [
    { value: 'skip', name: 'keep the existing entry' },
    { value: 'newer', name: 'replace it if the copy is newer' },
    { value: 'both', name: 'keep both; the copy gets a new UID' },
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
    const called = fresh.trim() ? ` “${fresh.trim()}”` : '';
    return `a new calendar${called}${place?.id ? ` on ${place.name}` : ''}`;
  });

  const queue = () => answer(client.POST('/api/transfers', { body: { chosen: selection, target: wanted } }));
</script>

<ProposalSheet
  label="Copy or move"
  action="Review {move ? 'moving' : 'copying'} to {target ? where : '…'}"
  disabled={!target || (target.startsWith('new:') && !fresh.trim())}
  {queue}
  {onclose}
>
  <h2 class="mb-2 text-lg font-bold">{move ? 'Move' : 'Copy'} {counted(chosen, 'entry', 'entries')}</h2>
  <p class="text-soft mb-3">Series are copied with all their changed occurrences. You review every change first.</p>
  <label class="mb-2 flex items-center gap-2">
    <span class="w-24">To</span>
    <Select bind:value={target} aria-label="To" class="min-w-0 flex-1">
      <option value="" disabled>choose a calendar</option>
      {#each places as place (place.id)}
        <optgroup label={place.name}>
          <option value="new:{place.id ?? ''}">{place.name}: a new calendar</option>
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
    <legend class="text-soft">If an entry with the same UID exists there already</legend>
    {#each RULES as rule (rule.value)}
      <label class="flex gap-2">
        <input type="radio" class="accent-brass" name="existing" value={rule.value} bind:group={existing} />{rule.name}
      </label>
    {/each}
  </fieldset>
  <label class="flex gap-2">
    <input type="checkbox" class="accent-brass" bind:checked={move} />
    <span>Move: delete each entry at its source after it was read back at the target</span>
  </label>
  <label class="flex gap-2">
    <input type="checkbox" class="accent-brass" bind:checked={tell} />
    <span>Let the target server invite the attendees again <span class="text-soft">(off: nobody is told)</span></span>
  </label>
</ProposalSheet>
