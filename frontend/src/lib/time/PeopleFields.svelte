<script lang="ts">
  import type { Schemas } from '$lib/api/client';

  /** The organiser, and the attendees with their answers. */
  type Person = Schemas['Person'];
  type Props = {
    organizer: Person | null;
    attendees: Person[];
    onchange: (organizer: Person | null, attendees: Person[]) => void;
  };
  const { organizer, attendees, onchange }: Props = $props();
  const ANSWERS = ['', 'NEEDS-ACTION', 'ACCEPTED', 'TENTATIVE', 'DECLINED', 'DELEGATED'];
  let name = $state('');
  let address = $state('');

  function add(): void {
    if (!address.includes('@')) return;
    const role = 'REQ-PARTICIPANT';
    onchange(organizer, [...attendees, { name: name.trim(), address: address.trim(), answer: 'NEEDS-ACTION', role }]);
    name = address = '';
  }
</script>

<label class="mb-1 flex items-center gap-2">
  <span class="text-soft w-16 shrink-0">Organiser</span>
  <input
    class="field-small min-w-0 flex-1"
    aria-label="Organiser"
    placeholder="address of the organiser"
    value={organizer?.address ?? ''}
    onchange={(event) => {
      const typed = event.currentTarget.value.trim();
      onchange(
        typed ? { name: organizer?.name ?? '', answer: '', role: '', ...organizer, address: typed } : null,
        attendees,
      );
    }}
  />
</label>
{#each attendees as person, k (person.address)}
  <div class="mb-1 flex items-center gap-1.5">
    <span class="min-w-0 flex-1 truncate" title={person.address}>{person.name || person.address}</span>
    <select
      class="field-small min-w-0"
      aria-label="Reply of {person.name || person.address}"
      value={person.answer}
      onchange={(event) =>
        onchange(
          organizer,
          attendees.map((one, at) => (at === k ? { ...one, answer: event.currentTarget.value } : one)),
        )}
    >
      {#each ANSWERS as answer (answer)}<option value={answer}>{answer.toLowerCase() || 'no answer'}</option>{/each}
    </select>
    <button
      type="button"
      class="text-removed underline"
      aria-label="Remove {person.name || person.address}"
      onclick={() =>
        onchange(
          organizer,
          attendees.filter((_, at) => at !== k),
        )}>remove</button
    >
  </div>
{/each}
<div class="flex gap-1.5">
  <input class="field-small min-w-0 w-28" placeholder="name" aria-label="Name of an attendee" bind:value={name} />
  <input
    class="field-small min-w-0 flex-1"
    placeholder="address"
    aria-label="Address of an attendee"
    bind:value={address}
    onchange={add}
    onkeydown={(event) => {
      if (event.key === 'Enter') {
        event.preventDefault();
        add();
      }
    }}
  />
  <button type="button" class="text-brass underline disabled:opacity-50" disabled={!address.includes('@')} onclick={add}
    >add</button
  >
</div>
