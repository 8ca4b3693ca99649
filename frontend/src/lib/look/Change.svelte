<script lang="ts">
  import { key, query, refresh } from '$lib/api/queries';
  import { useQueryClient } from '@tanstack/svelte-query';
  import Input from '$lib/ui/Input.svelte';
  import Action from '$lib/ui/Action.svelte';
  import ProposalSheet from '$lib/ui/ProposalSheet.svelte';
  import { answer, client, type Schemas } from '$lib/api/client';
  import { attempt } from '$lib/state/attempt.svelte';
  import { notices } from '$lib/state/notice.svelte';
  import { count, counted } from '$lib/ui/words';
  import StepFields from './StepFields.svelte';
  import { freshStep, isChoosable, STEPS, type Step } from './steps';

  /** Many entries changed alike: one step or several, looked at line by line before anything happens. */
  type Props = {
    selection: Schemas['SelectionIn'];
    chosen: number;
    readable?: number;
    steps?: Step[];
    onclose: () => void;
  };
  const { selection, chosen, readable = 0, steps: given = [], onclose }: Props = $props();

  const queries = useQueryClient();
  const recipes = query(() => ({ queryKey: key('recipes'), queryFn: () => answer(client.GET('/api/recipes')) }));
  const only = (): Step | undefined => (given.length === 1 && isChoosable(given[0]) ? given[0] : undefined);
  // svelte-ignore state_referenced_locally (a start; the reader changes it)
  let steps = $state<Step[]>(only() ? [] : [...given]);
  // svelte-ignore state_referenced_locally
  let draft = $state<Step | null>(only() ?? (given.length ? null : freshStep('shift')));
  let name = $state('');

  const whole = $derived(draft ? [...steps, draft] : steps);
  const words = query(() => ({
    queryKey: key('step-words', $state.snapshot(whole)),
    queryFn: () => answer(client.POST('/api/bulk-changes/words', { body: { steps: whole } })),
    placeholderData: (previous) => previous,
    enabled: whole.length > 0,
  }));
  const error = $derived(words.isError ? words.error.message : (words.data?.error ?? ''));
  const listed = query(() => ({
    queryKey: key('step-words', $state.snapshot(steps)),
    queryFn: () => answer(client.POST('/api/bulk-changes/words', { body: { steps } })),
    enabled: steps.length > 0,
  }));

  function use(called: string): void {
    const found = recipes.data?.find((one) => one.name === called);
    if (!found) return;
    steps = [...found.steps];
    draft = null;
    name = called;
  }

  /** Whether the steps can be done as they are now, whatever was asked for before the last letter; says why not. */
  async function sound(): Promise<boolean> {
    const { error } = await answer(client.POST('/api/bulk-changes/words', { body: { steps: whole } }));
    if (error) notices.say(error, 'wrong');
    return !error;
  }

  async function keep(): Promise<void> {
    await attempt(async () => {
      if (!(await sound())) return;
      const params = { path: { name: name.trim() } };
      await answer(client.PUT('/api/recipes/{name}', { params, body: { steps: whole } }));
      await refresh(queries, 'recipes');
      notices.say(`Saved as “${name.trim()}” under Mend › Recipes.`);
    });
  }

  async function queue(): Promise<{ job_id: number } | null> {
    if (!(await sound())) return null;
    const body = { selection, steps: whole, name: recipes.data?.some((one) => one.name === name) ? name : '' };
    return answer(client.POST('/api/bulk-changes', { body }));
  }
</script>

<ProposalSheet label="Change" width={760} action="Review the changes" disabled={!whole.length} {queue} {onclose}>
  <div class="mb-2 flex items-baseline gap-4">
    <h2 class="text-lg font-bold">Change {counted(chosen, 'entry', 'entries')}</h2>
    {#if recipes.data?.length}
      <label class="ml-auto flex items-center gap-2 text-[13px]"
        >By a recipe
        <select class="field-small" value={name} onchange={(event) => use(event.currentTarget.value)}>
          <option value="" disabled>choose one</option>
          {#each recipes.data as one (one.name)}<option value={one.name}>{one.name}</option>{/each}
        </select></label
      >
    {/if}
  </div>
  <p class="text-soft mb-3">
    You review every change first, and see which entries cannot be changed and why.{readable
      ? ` ${count(readable)} are read-only and stay as they are.`
      : ''}
  </p>
  {#if steps.length}
    <ol class="ruled mb-3" aria-label="Steps">
      {#each steps as step, at (at)}
        <li class="flex items-center gap-3 py-1">
          <span class="figures text-soft w-5 text-right">{at + 1}</span>
          <span class="min-w-0 flex-1 truncate">{listed.data?.says[at] ?? step.do}</span>
          <Action
            onclick={() => (steps = steps.filter((_, k) => k !== at))}
            named="Remove step {at + 1}: {listed.data?.says[at] ?? step.do}">Remove</Action
          >
        </li>
      {/each}
    </ol>
  {/if}
  {#if draft}
    <div class="mb-2 flex items-center gap-2">
      <label class="flex min-w-0 flex-1 items-center gap-2"
        ><span class="w-16 shrink-0">{steps.length ? 'Then' : 'What'}</span>
        <select
          class="field min-w-0 flex-1"
          aria-label={steps.length ? 'Then' : 'What'}
          value={draft.do}
          onchange={(event) => (draft = freshStep(event.currentTarget.value))}
        >
          {#each STEPS as group (group.name)}
            <optgroup label={group.name}>
              {#each group.steps as one (one.kind)}<option value={one.kind}>{one.name}</option>{/each}
            </optgroup>
          {/each}
        </select></label
      >
      {#if steps.length}<Action onclick={() => (draft = null)}>No more steps</Action>{/if}
    </div>
    <div class="mb-3 pl-[72px]"><StepFields bind:step={draft} /></div>
  {/if}
  <p class="mb-3 min-h-5 text-[13px] {error ? 'text-changed' : 'text-soft'}" role="status">
    {#if error}{error}{:else if words.data}In short: {words.data.says.join('; ')}.{/if}
  </p>
  <div class="flex flex-wrap items-center gap-2">
    <Action
      onclick={() => {
        if (draft) steps = [...steps, draft];
        draft = freshStep('shift');
      }}
      disabled={!!error}>Add a step</Action
    >
    <label class="ml-auto flex items-center gap-2 text-[13px]"
      >Save as a recipe named <Input bind:value={name} maxlength={120} class="w-48" /></label
    >
    <Action onclick={() => void keep()} disabled={!name.trim() || !!error}>Save</Action>
  </div>
</ProposalSheet>
