<script lang="ts">
  import { zonesQuery } from '$lib/api/queries';

  /** A zone, typed with what there is offered. */
  type Props = { value: string; label: string; onchange: (value: string) => void };
  const { value, label, onchange }: Props = $props();
  const id = $props.id();
  const zones = zonesQuery();
</script>

<label class="flex items-center gap-2"
  >{label}
  <input
    class="field-small figures w-56"
    aria-label={label}
    list="{id}-zones"
    {value}
    placeholder="Atlantic/Reykjavik"
    onchange={(event) => onchange(event.currentTarget.value.trim())}
  /></label
>
<datalist id="{id}-zones">
  {#each zones.data ?? [] as one (one)}<option value={one}></option>{/each}
</datalist>
