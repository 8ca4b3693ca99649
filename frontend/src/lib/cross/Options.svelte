<script lang="ts">
  import Action from '$lib/ui/Action.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Input from '$lib/ui/Input.svelte';
  import Select from '$lib/ui/Select.svelte';
  import Sheet from '$lib/ui/Sheet.svelte';
  import { answer, client } from '$lib/api/client';
  import { key, query } from '$lib/api/queries';
  import { addressesIn, type Options } from '$lib/cross/words';
  import { counted } from '$lib/ui/words';

  /** What happens on the way: of a whole crossing, or of some lanes that differ from it. */
  type Props = {
    options: Options;
    lanes: number;
    /** What goes along the lanes, as a filter; only asked where it is for some lanes. */
    filter?: string;
    onclose: () => void;
    onsave: (options: Options, filter: string) => void;
  };
  const { options, lanes, filter = '', onclose, onsave }: Props = $props();
  const KINDS = [
    { kind: 'VEVENT', name: 'events' },
    { kind: 'VTODO', name: 'to-dos' },
    { kind: 'VJOURNAL', name: 'journal entries' },
  ] as const;

  const recipes = query(() => ({ queryKey: key('recipes'), queryFn: () => answer(client.GET('/api/recipes')) }));
  // svelte-ignore state_referenced_locally
  const before = options;
  // svelte-ignore state_referenced_locally
  let only = $state(filter);
  let since = $state(before.since ?? '');
  let kinds = $state<string[]>(before.kinds?.length ? [...before.kinds] : KINDS.map((one) => one.kind));
  let standing = $state(before.standing ?? 'ask');
  let databaseNames = $state(before.zones === 'database');
  let past = $state(before.past ?? 'leave');
  let carriesPrivate = $state(before.private !== 'leave');
  let tell = $state(before.tell ?? false);
  let recipe = $state('');
  const steps = before.steps ?? [];
  let addresses = $state(
    steps
      .filter((step) => step.do === 'map-address')
      .map((step) => `${step.old} → ${step.new}`)
      .join('\n'),
  );
  const others = steps.filter((step) => step.do !== 'map-address');
  let keepsSteps = $state(true);

  function save(): void {
    const chosen = recipes.data?.find((one) => one.name === recipe);
    const added = (chosen?.steps ?? []) as Record<string, unknown>[];
    const all = [...(keepsSteps ? others : []), ...added, ...addressesIn(addresses)];
    const wanted: Options = {
      since,
      kinds: kinds.length === KINDS.length ? [] : (kinds as Options['kinds']),
      standing,
      zones: databaseNames ? 'database' : 'written',
      past,
      private: carriesPrivate ? 'carry' : 'leave',
      tell,
      steps: all,
      remedies: before.remedies,
    };
    onsave(wanted, only.trim());
  }
</script>

<Sheet label="On the way" width={620} {onclose}>
  <h2 class="mb-3 text-lg font-bold">
    On the way{lanes ? `, along ${counted(lanes, 'lane', 'lanes')}` : ', along all lanes'}
  </h2>
  {#if lanes}
    <Field label="Only what matches this filter">
      <Input bind:value={only} placeholder="everything, or for instance category:LAB" />
    </Field>
  {/if}
  <div class="grid grid-cols-2 gap-x-6">
    <Field label="Only what is not over before">
      <Input type="date" bind:value={since} class="w-44" />
    </Field>
    <Field label="What is over before that day">
      <Select bind:value={past} class="w-full" disabled={!since}>
        <option value="leave">stays behind</option>
        <option value="archive">is written into an archive, and stays behind</option>
      </Select>
    </Field>
    <Field label="Where an entry stands there already, and differs">
      <Select bind:value={standing} class="w-full">
        <option value="ask">wait for a decision</option>
        <option value="keep">what stands there stays</option>
        <option value="newer">the newer one counts</option>
        <option value="replace">replace what stands there</option>
      </Select>
    </Field>
  </div>
  <fieldset class="mb-3 flex flex-wrap gap-x-5">
    <legend class="mb-1">Carry</legend>
    {#each KINDS as one (one.kind)}
      <label class="flex gap-2"
        ><input type="checkbox" class="accent-brass" value={one.kind} bind:group={kinds} />{one.name}</label
      >
    {/each}
    <label class="flex gap-2"
      ><input type="checkbox" class="accent-brass" bind:checked={carriesPrivate} />private entries</label
    >
  </fieldset>
  <Field
    label="Mail addresses that become others: the old one → the new one, a line each; @old.example for all of a domain"
  >
    <textarea class="field h-20 w-full py-1" bind:value={addresses} placeholder="@tidewrack.example → @lantern.example"
    ></textarea>
  </Field>
  <Field label="Changes made on the way, from a recipe">
    <Select bind:value={recipe} class="w-full">
      <option value="">none</option>
      {#each recipes.data ?? [] as one (one.name)}<option value={one.name}>{one.name}</option>{/each}
    </Select>
  </Field>
  {#if others.length}
    <label class="mb-3 flex gap-2"
      ><input type="checkbox" class="accent-brass" bind:checked={keepsSteps} />keep the {counted(
        others.length,
        'change',
        'changes',
      )} there are</label
    >
  {/if}
  <label class="mb-1 flex gap-2"
    ><input type="checkbox" class="accent-brass" bind:checked={databaseNames} />Call time zones as the zone database
    does, wherever the times stay the same.</label
  >
  <label class="flex gap-2"
    ><input type="checkbox" class="accent-brass" bind:checked={tell} />The target may invite attendees. Without this
    nobody is told.</label
  >
  {#snippet actions()}
    <Action kind="main" onclick={save} disabled={!kinds.length}>Carry them so</Action>
  {/snippet}
</Sheet>
