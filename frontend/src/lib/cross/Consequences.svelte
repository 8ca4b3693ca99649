<script lang="ts">
  import Action from '$lib/ui/Action.svelte';
  import Sheet from '$lib/ui/Sheet.svelte';
  import type { Lane } from '$lib/cross/words';
  import type { Schemas } from '$lib/api/client';
  import { counted } from '$lib/ui/words';

  /** What a run, sending back or dropping the plan comes to, before it is done. */
  type Props = {
    plan: Schemas['CrossingOut'];
    deed: 'run' | 'run-some' | 'back' | 'forget';
    lanes: Lane[];
    onclose: () => void;
    onrun: (lanes: Lane[]) => void;
    onback: (lanes: Lane[]) => void;
    onforget: () => void;
  };
  const { plan, deed, lanes, onclose, onrun, onback, onforget }: Props = $props();
  const blocked = $derived(lanes.filter((one) => one.blocks.length).length);
  const many = $derived(counted(lanes.length, 'lane', 'lanes'));
  const entries = $derived(
    counted(
      lanes.reduce((sum, one) => sum + one.entries, 0),
      'entry',
      'entries',
    ),
  );
</script>

{#if deed === 'run' || deed === 'run-some'}
  <Sheet label="Run" {onclose}>
    <h2 class="mb-2 text-lg font-bold">Carry {many} to {plan.target}</h2>
    <p class="mb-2">
      Both ends are fetched first. Then {lanes.some((one) => one.ran_at)
        ? 'what is new, changed or deleted at the source since the last run'
        : entries} is carried as one batch a lane, and pushed to {plan.target}. {plan.options.tell
        ? `${plan.target} may invite attendees.`
        : 'Nobody is invited.'} Every batch can be undone.
    </p>
    {#if blocked}
      <p class="text-removed mb-2">
        {counted(blocked, 'lane is', 'lanes are')} blocked and will fail; the others go on.
      </p>
    {/if}
    {#if !plan.measured_at && plan.account_id}
      <p class="text-changed">What {plan.target} keeps has not been measured, so losses are not foretold.</p>
    {/if}
    {#snippet actions()}
      <Action kind="main" onclick={() => onrun(deed === 'run' ? [] : lanes)}>Carry {many}</Action>
    {/snippet}
  </Sheet>
{:else if deed === 'back'}
  <Sheet label="Send back" {onclose}>
    <h2 class="mb-2 text-lg font-bold">Send {many} back</h2>
    <p>
      Everything these lanes carried is taken back from {plan.target}, the newest batch first. Entries that somebody
      changed there since stay. What the cutover did to their old calendars is undone too.
    </p>
    {#snippet actions()}
      <Action kind="grave" onclick={() => onback(lanes)}>Take back {many}</Action>
    {/snippet}
  </Sheet>
{:else}
  <Sheet label="Drop this plan" {onclose}>
    <h2 class="mb-2 text-lg font-bold">Drop the plan {plan.name}</h2>
    <p>
      The lanes, their rehearsal, what was verified and the cutover list go. What was carried stays where it is, and in
      the logbook; it can no longer be carried again or sent back from here.
    </p>
    {#snippet actions()}
      <Action kind="grave" onclick={onforget}>Drop {plan.name}</Action>
    {/snippet}
  </Sheet>
{/if}
