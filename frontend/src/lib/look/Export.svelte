<script lang="ts">
  import { key, query, zonesQuery } from '$lib/api/queries';
  import Input from '$lib/ui/Input.svelte';
  import Select from '$lib/ui/Select.svelte';
  import Action from '$lib/ui/Action.svelte';
  import Sheet from '$lib/ui/Sheet.svelte';
  import { answer, client, save, type Schemas } from '$lib/api/client';
  import { notices } from '$lib/state/notice.svelte';
  import { counted } from '$lib/ui/words';

  /** Handing entries on as a file: which format, in which zone, and what to know before. */
  type Props = { selection: Schemas['SelectionIn']; calendar?: number; name: string; onclose: () => void };
  const { selection, calendar, name, onclose }: Props = $props();

  let format = $state<'ics' | 'zip' | 'csv' | 'files'>('ics');
  let zone = $state('');
  // svelte-ignore state_referenced_locally (the proposed name is a start, the reader may change it)
  let file = $state(name);
  let busy = $state(false);

  const check = query(() => ({
    queryKey: key('export', selection, calendar),
    queryFn: () =>
      answer(client.POST('/api/exports/check', { params: { query: { calendar: calendar ?? null } }, body: selection })),
  }));
  const zones = zonesQuery();

  const FORMATS = [
    {
      value: 'ics',
      name: 'iCalendar, one file (.ics)',
      says: 'Entries as they were imported, with the zone definitions they need.',
    },
    { value: 'zip', name: 'iCalendar, one file per calendar (.zip)', says: 'Each calendar keeps its own properties.' },
    {
      value: 'csv',
      name: 'Spreadsheet (.csv)',
      says: 'One row for each entry. An edited table can be imported again under Mend.',
    },
    {
      value: 'files',
      name: 'Attachments only, as files (.zip)',
      says: 'Named as the links to them are, where a change makes links of attachments.',
    },
  ] as const;

  const ending = $derived(format === 'files' ? 'zip' : format);

  async function hand(): Promise<void> {
    busy = true;
    try {
      const query = new URLSearchParams({ format, name: file, zone: format === 'csv' ? zone : '' });
      if (calendar !== undefined) query.set('calendar', String(calendar));
      const saved = await save(`/api/exports?${query}`, selection);
      notices.say(`Exported: ${counted(check.data?.entries ?? 0, 'entry', 'entries')} in ${saved}.`);
      onclose();
    } catch (error) {
      notices.wrong(error);
    } finally {
      busy = false;
    }
  }
</script>

<Sheet label="Export" width={560} {onclose}>
  <h2 class="mb-3 text-lg font-bold">
    Export {check.data ? counted(check.data.entries, 'entry', 'entries') : '…'} from {check.data
      ? counted(check.data.calendars, 'calendar', 'calendars')
      : '…'}
  </h2>
  <fieldset class="mb-3">
    <legend class="text-soft mb-1">As</legend>
    {#each FORMATS as option (option.value)}
      <label class="flex items-baseline gap-2 py-0.5">
        <input type="radio" name="format" value={option.value} bind:group={format} class="accent-brass" />
        <span><strong>{option.name}</strong> <span class="text-soft">{option.says}</span></span>
      </label>
    {/each}
  </fieldset>
  <label class="mb-3 flex items-center gap-2">
    <span class="w-24">File name</span>
    <Input bind:value={file} class="flex-1" />
    <span class="figures text-soft">.{ending}</span>
  </label>
  {#if format === 'csv'}
    <label class="mb-3 flex items-center gap-2">
      <span class="w-24">Times in</span>
      <Select bind:value={zone} class="flex-1">
        <option value="">each entry's own zone</option>
        {#each zones.data ?? [] as name (name)}<option value={name}>{name}</option>{/each}
      </Select>
    </label>
  {/if}
  {#each check.data?.cautions ?? [] as caution (caution)}
    <p class="border-changed mb-1 border-l-4 pl-2">{caution}</p>
  {/each}
  {#if check.isError}<p class="text-removed">{check.error.message}</p>{/if}
  {#snippet actions()}
    <Action kind="main" onclick={() => void hand()} disabled={busy || !check.data?.entries || !file.trim()}>
      {busy ? 'Writing…' : `Save ${counted(check.data?.entries ?? 0, 'entry', 'entries')} as .${ending}`}
    </Action>
  {/snippet}
</Sheet>
