<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query';
  import Action from '$lib/ui/Action.svelte';
  import { answer, client, Refusal, type Schemas } from '$lib/api/client';
  import { refreshAll } from '$lib/api/queries';
  import { attempt } from '$lib/state/attempt.svelte';
  import { walking } from '$lib/state/focus';
  import { count, counted } from '$lib/ui/words';

  /** Many accounts at once, by a sheet: each row is checked and added by itself; the sheet is not kept. */
  type Row = Schemas['SheetRowOut'];
  const queries = useQueryClient();
  let file: HTMLInputElement | undefined = $state();
  let sheet = $state<Schemas['SheetOut'] | null>(null);
  /** What became of a row: "" while it is not its turn yet. */
  let outcome = $state<Record<number, { says: string; origin: string; added: boolean }>>({});
  let running = $state(false);
  let stopped = $state(false);
  /** Origins to which passwords may go although they are elsewhere, or without encryption. */
  let agreed = $state<string[]>([]);
  const added = $derived(Object.values(outcome).filter((one) => one.added).length);
  const left = $derived((sheet?.rows ?? []).filter((one) => !outcome[one.row]?.added));
  /** All rows of the sheet in its order, those that cannot be read too. */
  const lines = $derived(
    [
      ...(sheet?.rows ?? []).map((account) => ({ row: account.row, account, why: '' })),
      ...(sheet?.unreadable ?? []).map(({ row, column, why }) => ({ row, account: null, why: `${column}: ${why}` })),
    ].sort((a, b) => a.row - b.row),
  );
  const asked = $derived([
    ...new Set(
      Object.values(outcome)
        .map((one) => one.origin)
        .filter((one) => one && !agreed.includes(one)),
    ),
  ]);

  async function read(): Promise<void> {
    const chosen = file?.files?.[0];
    if (!file || !chosen) return;
    const read = chosen.text();
    file.value = ''; // the next file may come while this one is looked at
    await attempt(async () => {
      sheet = await answer(client.POST('/api/accounts/sheet', { body: { text: await read } }));
      outcome = {};
    });
  }

  async function addOne({ row, name, address, user, password }: Row): Promise<void> {
    try {
      await answer(client.POST('/api/accounts', { body: { name, address, user, password, agreed, ...NOTHING } }));
      outcome[row] = { says: 'added', origin: '', added: true };
    } catch (error) {
      const origin = error instanceof Refusal ? error.origin : '';
      outcome[row] = { says: error instanceof Error ? error.message : String(error), origin, added: false };
    }
  }

  const NOTHING = { publisher: '', authority: '', certificate: '' };

  /** Two at a time, so that nobody else waits; what was added stays added, also where one stops. */
  async function addAll(): Promise<void> {
    [running, stopped] = [true, false];
    const turns = left.values();
    const worker = async () => {
      for (const row of turns) {
        if (stopped) return;
        await addOne(row);
      }
    };
    await Promise.all([worker(), worker()]);
    running = false;
    await refreshAll(queries);
  }

  function agree(): void {
    agreed = [...agreed, ...asked];
    void addAll();
  }
</script>

<svelte:head><title>Accounts by a sheet · Date Bridge</title></svelte:head>
<div
  class="min-h-0 flex-1 overflow-y-auto px-4 py-3"
  role="region"
  aria-label="Accounts by a sheet"
  tabindex="-1"
  data-rest
  data-part
  {@attach walking('a[href], button', undefined, true)}
>
  <h1 class="text-xl font-bold">Accounts by a sheet</h1>
  <p class="text-soft mb-3 max-w-[90ch]">
    A CSV file whose first row names the columns: name, address, user, and password or token. Every account is checked
    before it is added. The sheet is not kept; passwords are stored encrypted, as with any other account.
  </p>
  <p class="mb-4 flex flex-wrap items-center gap-3">
    <Action kind={sheet ? 'plain' : 'main'} onclick={() => file?.click()} disabled={running}>Choose a sheet…</Action>
    <input
      bind:this={file}
      type="file"
      accept=".csv,text/csv"
      class="hidden"
      aria-label="The sheet"
      onchange={() => void read()}
    />
    {#if sheet}
      {#if running}
        <Action onclick={() => (stopped = true)}>Stop after this one</Action>
      {:else if left.length}
        <Action kind="main" onclick={() => void addAll()}
          >{Object.keys(outcome).length
            ? `Try ${counted(left.length, 'account', 'accounts')} again`
            : `Add ${counted(left.length, 'account', 'accounts')}`}</Action
        >
      {/if}
      <span role="status" class="figures"
        >{count(added)} of {counted(sheet.rows.length, 'account', 'accounts')} added{sheet.unreadable.length
          ? `, ${counted(sheet.unreadable.length, 'row', 'rows')} not readable`
          : ''}</span
      >
    {/if}
  </p>
  {#if asked.length && !running}
    <p class="border-changed mb-4 flex flex-wrap items-center gap-3 border-l-4 pl-3">
      <span>User names and passwords have not been sent to {asked.join(', ')}.</span>
      <Action onclick={agree}>Send them there, and try again</Action>
    </p>
  {/if}
  {#if sheet}
    <ul class="border-ink border-t">
      {#each lines as line (line.row)}
        {@const one = line.account}
        {@const end = outcome[line.row]}
        <li class="border-line flex min-h-8 items-center gap-4 border-b text-[13px]">
          <span class="figures text-soft w-16">row {line.row}</span>
          {#if one}
            <span class="w-60 truncate font-medium">{one.name || one.address}</span>
            <span class="text-soft w-80 truncate">{one.address}{one.user ? `, as ${one.user}` : ''}</span>
            <span class={end?.added ? 'text-added' : end ? 'text-removed' : 'text-soft'}>{end?.says ?? 'waits'}</span>
          {:else}<span class="text-removed">{line.why}</span>{/if}
        </li>
      {/each}
    </ul>
  {/if}
</div>
