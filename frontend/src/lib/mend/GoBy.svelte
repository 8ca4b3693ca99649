<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import Action from '$lib/ui/Action.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Input from '$lib/ui/Input.svelte';
  import Sheet from '$lib/ui/Sheet.svelte';
  import DayField from '$lib/time/DayField.svelte';
  import { answer, client, type Schemas } from '$lib/api/client';
  import { attempt } from '$lib/state/attempt';
  import { listed } from '$lib/look/steps';

  /** What the checks go by that somebody has to say: how long is very long, which domains have departed. */
  const { onclose }: { onclose: () => void } = $props();
  const queries = useQueryClient();
  const now = createQuery(() => ({
    queryKey: ['standards'],
    queryFn: () => answer(client.GET('/api/checks/standards')),
  }));
  let wanted = $state<Required<Schemas['Standards']> | null>(null);
  $effect(() => {
    if (now.data && !wanted) wanted = { ...(now.data as Required<Schemas['Standards']>) };
  });

  async function keep(): Promise<void> {
    const body = $state.snapshot(wanted);
    if (!body) return;
    await attempt(async () => {
      await answer(client.PUT('/api/checks/standards', { body }));
      await queries.invalidateQueries({ queryKey: ['checks'] });
      await queries.invalidateQueries({ queryKey: ['standards'] });
      onclose();
    });
  }
</script>

<Sheet label="What the checks go by" width={620} {onclose}>
  <h2 class="mb-3 text-lg font-bold">What the checks go by</h2>
  {#if wanted}
    {@const by = wanted}
    <Field label="Domains of which nobody is left">
      <Input
        placeholder="old.example, left.example"
        value={by.departed.join(', ')}
        onchange={(event) => (by.departed = listed(event.currentTarget.value))}
      />
    </Field>
    <Field label="Where links lead to the old system">
      <Input
        placeholder="old.example"
        value={by.hosts.join(', ')}
        onchange={(event) => (by.hosts = listed(event.currentTarget.value))}
      />
    </Field>
    <div class="flex flex-wrap gap-x-6">
      <label class="mb-3 flex items-center gap-2"
        >Long ago is before <DayField
          label="Long ago is before"
          value={by.older}
          onchange={(day) => (by.older = day)}
        /></label
      >
      <label class="mb-3 flex items-center gap-2"
        >Very long is more than <input type="number" min="0" class="field-small w-20" bind:value={by.days} /> days</label
      >
      <label class="mb-3 flex items-center gap-2"
        >Very large is more than <input type="number" min="0" class="field-small w-20" bind:value={by.kilobytes} /> kB</label
      >
      <label class="mb-3 flex items-center gap-2"
        >Series without end are wanted until <DayField
          label="Series without end are wanted until"
          value={by.last}
          onchange={(day) => (by.last = day)}
        /></label
      >
    </div>
  {:else}<p class="text-soft" role="status">Fetching…</p>{/if}
  {#snippet actions()}
    <Action kind="main" onclick={() => void keep()} disabled={!wanted}>Go by this</Action>
  {/snippet}
</Sheet>
