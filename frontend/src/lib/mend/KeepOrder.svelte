<script lang="ts">
  import Action from '$lib/ui/Action.svelte';
  import Sheet from '$lib/ui/Sheet.svelte';
  import type { Calendar } from '$lib/api/client';
  import { moved, nameOf, type Criterion } from './policy';

  /** Which of several entries stays: what is asked first, and which calendars come first. */
  type Props = {
    policy: Criterion[];
    first: number[];
    calendars: Calendar[];
    onchoose: (policy: Criterion[], first: number[]) => void;
    onclose: () => void;
  };
  const { policy, first, calendars, onchoose, onclose }: Props = $props();
  // svelte-ignore state_referenced_locally (a start; the reader changes it)
  let asked = $state([...policy]);
  // svelte-ignore state_referenced_locally
  let order = $state([
    ...first.filter((id) => calendars.some((one) => one.id === id)),
    ...calendars.map((one) => one.id).filter((id) => !first.includes(id)),
  ]);
  const labels = $derived(new Map(calendars.map((one) => [one.id, one.label])));
  const usual = $derived(calendars.map((one) => one.id).join() === order.join());
</script>

{#snippet list(title: string, names: string[], move: (at: number, by: 1 | -1) => void)}
  <section class="min-w-0 flex-1">
    <h3 class="border-ink border-b pb-1 font-bold">{title}</h3>
    <ol class="ruled max-h-72 overflow-y-auto">
      {#each names as name, at (name)}
        <li class="flex items-center gap-2 py-0.5">
          <span class="figures text-soft w-5 text-right">{at + 1}</span>
          <span class="min-w-0 flex-1 truncate">{name}</span>
          <Action onclick={() => move(at, -1)} disabled={at === 0} named="Earlier: {name}">↑</Action>
          <Action onclick={() => move(at, 1)} disabled={at === names.length - 1} named="Later: {name}">↓</Action>
        </li>
      {/each}
    </ol>
  </section>
{/snippet}

<Sheet label="Order of preference" width={820} {onclose}>
  <h2 class="mb-1 text-lg font-bold">Order of preference</h2>
  <p class="text-soft mb-3">
    The entry to keep is chosen by these rules, from the top. Read-only entries are never removed.
  </p>
  <div class="flex flex-wrap gap-6">
    {@render list('Rules in order', asked.map(nameOf), (at, by) => (asked = moved(asked, at, by)))}
    {@render list(
      'Calendars in this order',
      order.map((id) => labels.get(id) ?? ''),
      (at, by) => (order = moved(order, at, by)),
    )}
  </div>
  {#snippet actions()}
    <Action
      kind="main"
      onclick={() => {
        onchoose(asked, usual ? [] : order);
        onclose();
      }}>Use this order</Action
    >
  {/snippet}
</Sheet>
