<script lang="ts">
  import Action from '$lib/ui/Action.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Input from '$lib/ui/Input.svelte';
  import Select from '$lib/ui/Select.svelte';
  import Sheet from '$lib/ui/Sheet.svelte';
  import type { Schemas } from '$lib/api/client';
  import { calendarsQuery } from '$lib/api/queries';
  import type { Lane } from '$lib/cross/words';
  import { counted } from '$lib/ui/words';

  /** Another calendar for some lanes: one there is, or a new one. */
  type Props = {
    account: number | null;
    lanes: Lane[];
    onclose: () => void;
    onsave: (body: Omit<Schemas['LaneChangeIn'], 'lanes'>) => void;
  };
  const { account, lanes, onclose, onsave }: Props = $props();
  const calendars = calendarsQuery();
  const offered = $derived(
    (calendars.data ?? []).filter((one) => one.writable && (one.account_id ?? null) === account),
  );
  let target = $state(0);
  // svelte-ignore state_referenced_locally
  let name = $state(lanes[0]?.source ?? '');
  const where = $derived(
    target ? (offered.find((one) => one.id === target)?.name ?? '…') : `a new calendar “${name.trim()}”`,
  );
</script>

<Sheet label="Lead elsewhere" {onclose}>
  <h2 class="mb-3 text-lg font-bold">Lead {counted(lanes.length, 'lane', 'lanes')} elsewhere</h2>
  <Field label="To">
    <Select bind:value={target} class="w-full">
      <option value={0}>a new calendar</option>
      {#each offered as one (one.id)}<option value={one.id}>{one.name}</option>{/each}
    </Select>
  </Field>
  {#if !target}<Field label="Its name"><Input bind:value={name} maxlength={120} /></Field>{/if}
  {#snippet actions()}
    <Action
      kind="main"
      disabled={!target && !name.trim()}
      onclick={() => onsave(target ? { target } : { target_name: name.trim() })}
      >Lead {counted(lanes.length, 'lane', 'lanes')} to {where}</Action
    >
  {/snippet}
</Sheet>
