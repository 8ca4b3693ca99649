<script lang="ts">
  import { optionWords, state, verifiedNow, type Lane } from '$lib/cross/words';
  import { count } from '$lib/ui/words';

  /** One lane in the table of them: chosen, opened, and how it stands. */
  type Props = { lane: Lane; chosen: boolean; open: boolean; onchoose: (on: boolean) => void; onopen: () => void };
  const { lane, chosen, open, onchoose, onopen }: Props = $props();
  const now = $derived(state(lane));
  const options = $derived([lane.filter, ...optionWords(lane.options)].filter(Boolean).join('; '));
  /** Once both ends were compared that is known exactly, also where the target gives entries UIDs of its own. */
  const standing = $derived(lane.verified_at ? lane.there : lane.shared);
  const arrived = $derived(lane.entries ? Math.min(100, Math.round((100 * standing) / lane.entries)) : 0);
</script>

<tr
  class="border-line h-[30px] border-b {open ? 'bg-picked font-bold' : 'hover:bg-shade'} {lane.going
    ? ''
    : 'text-soft'}"
>
  <td class="pl-4"
    ><input
      type="checkbox"
      class="accent-brass"
      aria-label="Choose {lane.source}"
      checked={chosen}
      onchange={(event) => onchoose(event.currentTarget.checked)}
    /></td
  >
  <td class="max-w-0 truncate pl-2" title="{lane.source_account} · {lane.source}"
    ><button class="w-full truncate text-left" aria-expanded={open} onclick={onopen} data-lane
      ><span class="text-soft font-normal">{lane.source_account} ·</span>{' '}{lane.source}</button
    ></td
  >
  <td class="figures text-right">{count(lane.entries)}</td>
  <td class="figures text-soft px-2 text-right font-normal">{lane.series ? count(lane.series) : ''}</td>
  <td class="figures text-soft font-normal whitespace-nowrap"
    >{lane.first.slice(0, 7)}{lane.first ? '–' : ''}{lane.last.slice(0, 7)}</td
  >
  <td class="text-soft text-center" aria-hidden="true">→</td>
  <td class="max-w-0 truncate" title={lane.why}
    >{#if !lane.target_id}<span class="text-added font-normal">new:</span
      >{' '}{/if}{lane.target}{#if lane.why !== 'new'}{' '}<span class="text-soft font-normal">· {lane.why}</span
      >{/if}</td
  >
  <td class="figures text-right font-normal" title="{count(standing)} of {count(lane.entries)} stand at the target"
    >{arrived} %</td
  >
  <td class="text-soft max-w-0 truncate px-3 font-normal" title={options}>{options}</td>
  <td
    class="pr-4 whitespace-nowrap {now.bad
      ? 'text-removed font-bold'
      : verifiedNow(lane)
        ? 'text-added font-normal'
        : 'font-normal'}">{now.bad ? '! ' : verifiedNow(lane) ? '✓ ' : ''}{now.says}</td
  >
</tr>
