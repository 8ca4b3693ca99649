<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { walking } from '$lib/state/focus';
  import { weekday } from './layout';

  /** A year as a map of how much happens: a line a month, a cell a day, darker where there is more. */
  type Props = {
    days: Schemas['DayOut'][];
    picked: string[] | null;
    onday: (day: string) => void;
    onedge: (by: 1 | -1) => void;
    onmonth: (day: string) => void;
  };
  const p: Props = $props();

  const months = $derived.by(() => {
    const found = new Map<string, Schemas['DayOut'][]>();
    for (const day of p.days) found.set(day.date.slice(0, 7), [...(found.get(day.date.slice(0, 7)) ?? []), day]);
    return [...found.entries()];
  });
  const most = $derived(Math.max(1, ...p.days.map((day) => day.total)));
  const strength = (total: number) => (total ? 3 + 37 * (total / most) ** 1.6 : 0);
  const NAMES = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec'];
</script>

<!-- svelte-ignore a11y_no_noninteractive_tabindex (a map of days is walked by the arrows) -->
<div
  class="min-h-0 flex-1 overflow-auto px-4 py-3"
  role="region"
  aria-label="Year"
  tabindex="0"
  data-rest
  {@attach walking('button', (by) => p.onedge(by))}
>
  <table class="w-full table-fixed border-separate border-spacing-[2px]">
    <thead>
      <tr class="text-soft figures text-[11px]">
        <th class="w-[92px] text-left font-normal">occurrences a day</th>
        {#each { length: 31 } as _, k (k)}<th class="font-normal">{k + 1}</th>{/each}
        <th class="w-[64px] text-right font-normal">in all</th>
      </tr>
    </thead>
    <tbody>
      {#each months as [month, days] (month)}
        <tr>
          <th class="text-left text-[13px] font-normal">
            <button class="hover:text-brass" onclick={() => p.onmonth(`${month}-01`)}
              >{NAMES[Number(month.slice(5)) - 1]} {month.slice(0, 4)}</button
            >
          </th>
          {#each days as day (day.date)}
            <td class="p-0">
              <button
                class="figures h-[38px] w-full text-[12px] {day.today
                  ? 'outline-brass outline-2'
                  : ''} {p.picked?.includes(day.date) ? 'outline-ink outline-2' : ''} {weekday(day.date) > 4
                  ? 'font-normal'
                  : 'font-bold'} {day.change ? 'border-changed border-b-4' : ''}"
                style:background="color-mix(in srgb, var(--brass) {strength(day.total)}%, {weekday(day.date) > 4
                  ? 'var(--shade)'
                  : 'var(--sheet)'})"
                title="{day.name}, {day.week}: {day.total} occurrences{day.change ? `; ${day.change}` : ''}"
                aria-label="{day.name}, {day.total} occurrences"
                aria-pressed={p.picked ? p.picked.includes(day.date) : undefined}
                onclick={() => p.onday(day.date)}>{day.total || ''}</button
              >
            </td>
          {/each}
          {#each { length: 31 - days.length } as _, k (k)}<td></td>{/each}
          <td class="figures text-right text-[13px]">{days.reduce((sum, day) => sum + day.total, 0)}</td>
        </tr>
      {/each}
    </tbody>
  </table>
</div>
