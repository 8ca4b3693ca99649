<script lang="ts">
  /** Two states of an entry line by line, in two banks; what only one of them says is marked. */
  type Props = {
    left: string[];
    right: string[];
    names: [string, string];
    /** What is said after the name of the right bank. */
    more?: string;
    /** What is said where a bank has nothing. */
    missing: string;
    wrong?: string;
  };
  const { left, right, names, more = '', missing, wrong = '' }: Props = $props();
  const here = $derived(new Set(left));
  const there = $derived(new Set(right));
</script>

{#snippet bank(lines: string[], other: Set<string>, label: string)}
  <div class="figures min-w-0 flex-1 px-3 py-2 text-[12px] break-words" role="group" aria-label={label}>
    {#each lines as line, k (k)}
      <span class="block {other.has(line) ? '' : 'bg-picked font-bold'}">{line}</span>
    {:else}<em class="text-soft">{missing}</em>{/each}
  </div>
{/snippet}

<div
  class="border-ink max-h-[50%] shrink-0 overflow-y-auto border-t-2"
  role="region"
  aria-label="The entry in two banks"
  tabindex="-1"
  data-part
>
  <div class="border-line flex border-b px-3 py-1 text-[13px] font-bold">
    <span class="flex-1">{names[0]}</span>
    <span class="flex-1 pl-3">{names[1]}{more}</span>
  </div>
  {#if wrong}<p class="text-removed px-3 py-1">{wrong}</p>{/if}
  <div class="divide-line flex divide-x">
    {@render bank(left, there, names[0])}
    {@render bank(right, here, names[1])}
  </div>
</div>
