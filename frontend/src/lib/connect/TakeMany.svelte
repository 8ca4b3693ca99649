<script lang="ts">
  import { goto } from '$app/navigation';
  import Action from '$lib/ui/Action.svelte';
  import Input from '$lib/ui/Input.svelte';
  import Sheet from '$lib/ui/Sheet.svelte';
  import { answer, client, type ImportFile } from '$lib/api/client';
  import { calendarsQuery } from '$lib/api/queries';
  import { attempt } from '$lib/state/attempt.svelte';
  import { rows } from '$lib/state/rows';
  import { count, counted } from '$lib/ui/words';

  /** Several files imported at once: which of them, and each into a fresh calendar or all into one. */
  const { files, onclose }: { files: ImportFile[]; onclose: () => void } = $props();
  const calendars = calendarsQuery();
  const writable = $derived((calendars.data ?? []).filter((one) => one.writable));
  let left = $state<number[]>([]);
  let where = $state<'each' | 'fresh' | 'there'>('each');
  let calendar = $state(0);
  let name = $state('');
  const taken = $derived(files.filter((one) => !left.includes(one.id)));
  const ready = $derived(
    taken.length > 0 && (where === 'each' || (where === 'fresh' ? name.trim() !== '' : calendar > 0)),
  );
  const says = $derived(
    `Review the import of ${counted(taken.length, 'file', 'files')}${
      where === 'each'
        ? ', each into a calendar of its own'
        : ` into ${where === 'fresh' ? name.trim() || '…' : (writable.find((one) => one.id === calendar)?.label ?? '…')}`
    }`,
  );

  async function take(): Promise<void> {
    await attempt(async () => {
      const body = {
        files: taken.map((one) => one.id),
        together: where !== 'each',
        calendar_id: where === 'there' ? calendar : null,
        name: where === 'fresh' ? name : '',
      };
      const { set_id } = await answer(client.POST('/api/imports/take', { body }));
      onclose();
      await goto(`/mend/${set_id}`);
    });
  }
</script>

<Sheet label="Import several files" width={680} {onclose}>
  <h2 class="mb-2 text-lg font-bold">Import several files</h2>
  <p class="text-soft mb-2">
    An entry that several files contain is imported once, in its newest version. You review everything before it is
    imported.
  </p>
  <ul class="ruled border-line mb-3 max-h-56 overflow-y-auto border px-2" aria-label="Files" {@attach rows()}>
    {#each files as file (file.id)}
      <li>
        <label class="flex items-center gap-2 py-1">
          <input
            type="checkbox"
            class="accent-brass"
            checked={!left.includes(file.id)}
            onchange={() =>
              (left = left.includes(file.id) ? left.filter((one) => one !== file.id) : [...left, file.id])}
          />
          <span class="min-w-0 flex-1 truncate">{file.name}</span>
          <span class="figures text-[12px]">{counted(file.entries, 'entry', 'entries')}</span>
          <span class="figures w-28 text-right text-[12px] {file.problems ? 'text-removed' : 'text-soft'}"
            >{file.problems ? counted(file.problems, 'problem', 'problems') : 'no problems'}</span
          >
        </label>
      </li>
    {/each}
  </ul>
  <fieldset class="mb-2">
    <legend class="mb-1 font-bold">Where {count(taken.length)} of {count(files.length)} go</legend>
    <label class="flex items-center gap-2 py-0.5"
      ><input type="radio" class="accent-brass" name="where" value="each" bind:group={where} /> each into a new calendar of
      its own</label
    >
    <label class="flex items-center gap-2 py-0.5"
      ><input type="radio" class="accent-brass" name="where" value="fresh" bind:group={where} /> all into one new
      calendar called
      <Input
        bind:value={name}
        class="w-56"
        aria-label="Name of the new calendar"
        maxlength={200}
        onfocus={() => (where = 'fresh')}
      /></label
    >
    <label class="flex items-center gap-2 py-0.5"
      ><input type="radio" class="accent-brass" name="where" value="there" bind:group={where} /> all into
      <select
        class="field-small max-w-72"
        aria-label="Existing calendar"
        bind:value={calendar}
        onchange={() => (where = 'there')}
      >
        <option value={0} disabled>an existing calendar…</option>
        {#each writable as one (one.id)}<option value={one.id}>{one.label}</option>{/each}
      </select></label
    >
  </fieldset>
  {#snippet actions()}
    <Action kind="main" onclick={() => void take()} disabled={!ready}>{says}…</Action>
  {/snippet}
</Sheet>
