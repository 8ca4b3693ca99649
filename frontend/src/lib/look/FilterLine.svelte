<script lang="ts">
  import { key, query } from '$lib/api/queries';
  import { useQueryClient } from '@tanstack/svelte-query';
  import { answer, client } from '$lib/api/client';
  import { tick, untrack } from 'svelte';
  import { reach } from '$lib/api/reach.svelte';
  import { roving } from '$lib/state/focus';
  import { count } from '$lib/ui/words';

  /** The filter line with its completion. `value` is what is applied; typing applies what parses. */
  type Props = { value: string; onapply: (filter: string) => Promise<void>; onleave: () => void };
  let { value, onapply, onleave }: Props = $props();

  const queries = useQueryClient();
  let input: HTMLInputElement | undefined;
  let text = $state('');
  let cursor = $state(0);
  let open = $state(false);
  let chosen = $state(-1);
  let timer: ReturnType<typeof setTimeout> | undefined;

  // What was typed meanwhile stays: only another filter, from elsewhere, takes its place.
  let applied: string | null = null;
  $effect(() => {
    if (value !== applied) text = value;
    applied = value;
  });

  const ask = (filter: string, cursor: number) => ({
    queryKey: key('filter', filter, cursor),
    queryFn: () => answer(client.GET('/api/filters/check', { params: { query: { filter, cursor } } })),
    staleTime: 5_000,
  });
  const check = query(() => ({
    ...ask(text, cursor),
    enabled: open || text !== '',
    placeholderData: (previous) => previous,
  }));
  const error = $derived(check.data?.error ?? '');
  // What was typed, as parsed; that of the text before stands until this one's is there.
  const terms = $derived(text.trim() ? (check.data?.terms ?? []) : []);
  // Never those for an earlier text: Enter must take what the list shows for this one.
  const options = $derived(open && !check.isPlaceholderData ? (check.data?.completions ?? []) : []);

  function typed(): void {
    if (!input) return;
    text = input.value;
    cursor = input.selectionStart ?? text.length;
    open = true;
    chosen = -1;
    clearTimeout(timer);
    timer = setTimeout(() => void apply(), 250);
  }

  /** Apply what stands in the line; whether it says something, and is still what stands there. */
  async function apply(): Promise<boolean> {
    clearTimeout(timer);
    const wanted = text;
    const said = await queries.fetchQuery(ask(wanted, cursor)).catch(() => null);
    if (!said || said.error || wanted !== text || !input) return false; // or the page is left
    applied = wanted;
    await onapply(wanted);
    return true;
  }

  // What could not be asked while nothing answered is asked as soon as something does.
  $effect(() => {
    if (!reach.lost) untrack(() => void (input && text !== value && apply()));
  });

  function take(index: number): void {
    const option = options[index];
    if (!option) return;
    // Up to the cursor, wherever it is by now: the option may have been offered a letter ago.
    text = text.slice(0, option.start) + option.insert + text.slice(cursor);
    cursor = option.start + option.insert.length;
    chosen = -1;
    open = option.insert.endsWith(':');
    void apply();
    caret();
  }

  /** Put the caret behind what came into the line, before anything else can be pressed: keys pressed at once go there. */
  function caret(): void {
    input?.focus();
    void tick().then(() => input?.setSelectionRange(cursor, cursor));
  }

  function onkeydown(event: KeyboardEvent): void {
    if (event.key === 'ArrowDown' && (options.length || text === '')) {
      open = true;
      chosen = Math.min(chosen + 1, options.length - 1);
    } else if (event.key === 'ArrowUp' && open) chosen = Math.max(chosen - 1, -1);
    else if ((event.key === 'Enter' || event.key === 'Tab') && open && chosen >= 0) take(chosen);
    else if (event.key === 'Enter' || event.key === 'ArrowDown') void enter();
    else if (event.key === 'Escape' && options.length) open = false;
    else if (event.key === 'Escape') onleave();
    else return;
    event.preventDefault();
    event.stopPropagation();
  }

  /** What Enter said is being applied. */
  let entering: Promise<boolean> | null = null;

  /** Into the table; what is wrong with the line brings one back to it. */
  async function enter(): Promise<void> {
    open = false;
    onleave();
    const mine = (entering = apply());
    const right = await mine;
    if (entering !== mine) return;
    entering = null;
    if (!right) input?.focus();
  }

  /** What is pressed after Enter means what was typed: it waits until that is applied; not where it is wrong. */
  export function soon(run: () => void): void {
    if (!entering) return run();
    void entering.then((right) => right && input && run());
  }

  function drop(start: number, end: number): void {
    text = `${text.slice(0, start)}${text.slice(end)}`.replace(/ {2,}/g, ' ').trim();
    cursor = text.length;
    void enter();
  }

  export function focus(): void {
    input?.focus();
    input?.select();
  }

  /** A term more, with the caret behind it. */
  export function add(term: string): void {
    const there = text.trim();
    text = ` ${there} `.includes(` ${term} `) ? `${there} ` : `${there} ${term} `.trimStart();
    cursor = text.length;
    open = false;
    void apply();
    caret();
  }
</script>

<div class="relative min-w-[280px] flex-1">
  <label class="visually-hidden" for="filter">Filter the entries</label>
  <input
    id="filter"
    bind:this={input}
    value={text}
    oninput={typed}
    onclick={typed}
    {onkeydown}
    onblur={() => (open = false)}
    placeholder="Find: words, or calendar:  before:2020  has:problem  -status:confirmed"
    autocomplete="off"
    spellcheck="false"
    role="combobox"
    aria-expanded={options.length > 0}
    aria-controls="completions"
    aria-autocomplete="list"
    aria-activedescendant={chosen >= 0 ? `completion-${chosen}` : undefined}
    aria-invalid={error !== ''}
    aria-describedby="filter-error"
    class="field figures placeholder:text-soft w-full px-3 {error ? 'border-removed' : ''}"
  />
  {#if terms.length > 0 && !error}
    <ul class="flex flex-wrap gap-1 pt-1 text-[12px]" aria-label="As understood" {@attach roving()}>
      {#each terms as term, k (term.start)}
        <li class="border-line bg-sheet flex items-center border">
          <span class="px-1.5"
            >{k ? 'and ' : ''}{term.says} <span class="figures text-soft">{count(term.count)}</span></span
          >
          <button
            class="text-soft hover:text-removed border-line border-l px-1.5"
            aria-label="Remove: {term.says}"
            onclick={() => drop(term.start, term.end)}>×</button
          >
        </li>
      {/each}
    </ul>
  {/if}
  <p id="filter-error" class="text-removed text-sm {error ? 'pt-1' : ''}" role="alert">{error}</p>
  <ul
    id="completions"
    role="listbox"
    aria-label="Suggestions"
    class="bg-sheet border-ink absolute top-9 left-0 z-20 max-h-80 min-w-[460px] overflow-y-auto border shadow-lg {options.length
      ? ''
      : 'hidden'}"
  >
    {#each options as option, index (index)}
      <li
        id="completion-{index}"
        role="option"
        aria-selected={index === chosen}
        class="flex w-full cursor-default gap-4 px-3 py-1 {index === chosen ? 'bg-picked' : 'hover:bg-shade'}"
        onmousedown={(event) => {
          event.preventDefault();
          take(index);
        }}
      >
        <span class="figures">{option.insert}</span><span class="text-soft">{option.hint}</span>
      </li>
    {/each}
  </ul>
</div>
