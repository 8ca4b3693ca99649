<script lang="ts">
  import Action from '$lib/ui/Action.svelte';
  import type { Calendar } from '$lib/api/client';
  import { counted } from '$lib/ui/words';
  import { looking } from '$lib/state/looking.svelte';

  /** Where nothing is to be seen: how many layers are off, and the way to have them back. */
  const { calendars }: { calendars: Calendar[] } = $props();
  const off = $derived(calendars.filter((one) => !looking.isOn(one.id)).length);
</script>

{#if off}
  <Action kind="main" key="b" onclick={() => looking.allBack()}
    >{off} of {counted(calendars.length, 'layer is', 'layers are')} off: show all</Action
  >
{/if}
