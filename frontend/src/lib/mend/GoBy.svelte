<script lang="ts">
  import { key, query, refresh } from '$lib/api/queries';
  import { useQueryClient } from '@tanstack/svelte-query';
  import Action from '$lib/ui/Action.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Input from '$lib/ui/Input.svelte';
  import Sheet from '$lib/ui/Sheet.svelte';
  import DayField from '$lib/time/DayField.svelte';
  import { answer, client, type Schemas } from '$lib/api/client';
  import { attempt } from '$lib/state/attempt.svelte';
  import { listed } from '$lib/look/steps';

  /** Limits of the checks that somebody has to say: how long is very long, which domains have departed. */
  const { onclose }: { onclose: () => void } = $props();
  const queries = useQueryClient();
  const now = query(() => ({
    queryKey: key('standards'),
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
      await refresh(queries, 'checks', 'standards');
      onclose();
    });
  }
</script>

<Sheet label="Limits of the checks" width={620} {onclose}>
  <h2 class="mb-3 text-lg font-bold">Limits of the checks</h2>
  {#if wanted}
    {@const by = wanted}
    <Field label="Domains of people who left">
      <Input
        placeholder="old.example, left.example"
        value={by.departed.join(', ')}
        onchange={(event) => (by.departed = listed(event.currentTarget.value))}
      />
    </Field>
    <Field label="Hosts of the old system, in links">
      <Input
        placeholder="old.example"
        value={by.hosts.join(', ')}
        onchange={(event) => (by.hosts = listed(event.currentTarget.value))}
      />
    </Field>
    <div class="flex flex-wrap gap-x-6">
      <label class="mb-3 flex items-center gap-2"
        >Over long ago: before <DayField
          label="Over long ago: before"
          value={by.older}
          onchange={(day) => (by.older = day)}
        /></label
      >
      <label class="mb-3 flex items-center gap-2"
        >Very long: more than <input type="number" min="0" class="field-small w-20" bind:value={by.days} /> days</label
      >
      <label class="mb-3 flex items-center gap-2"
        >Very large: more than <input type="number" min="0" class="field-small w-20" bind:value={by.kilobytes} /> kB</label
      >
      <label class="mb-3 flex items-center gap-2"
        >Endless series are wanted until <DayField
          label="Endless series are wanted until"
          value={by.last}
          onchange={(day) => (by.last = day)}
        /></label
      >
    </div>
  {:else}<p class="text-soft" role="status">Fetching…</p>{/if}
  {#snippet actions()}
    <Action kind="main" onclick={() => void keep()} disabled={!wanted}>Save the limits</Action>
  {/snippet}
</Sheet>
