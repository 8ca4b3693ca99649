<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { answer, client } from '$lib/api/client';

  /** The filter line with its completion. `value` is what is applied; typing applies what parses. */
  let { value = $bindable('') }: { value: string } = $props();

  let input: HTMLInputElement;
  let text = $state('');
  let cursor = $state(0);
  let open = $state(false);
  let chosen = $state(-1);
  let timer: ReturnType<typeof setTimeout> | undefined;

  $effect(() => {
    text = value;
  });

  const check = createQuery(() => ({
    queryKey: ['filter', text, cursor],
    queryFn: () => answer(client.GET('/api/filter', { params: { query: { filter: text, cursor } } })),
    enabled: open || text !== '',
    placeholderData: (previous) => previous,
  }));
  const error = $derived(check.data?.error ?? '');
  // Never those for an earlier text: Enter must take what the list shows for this one.
  const options = $derived(open && !check.isPlaceholderData ? (check.data?.completions ?? []) : []);

  function typed(): void {
    text = input.value;
    cursor = input.selectionStart ?? text.length;
    open = true;
    chosen = -1;
    clearTimeout(timer);
    timer = setTimeout(() => void apply(), 250);
  }

  async function apply(): Promise<void> {
    clearTimeout(timer);
    const wanted = text;
    const said = await answer(client.GET('/api/filter', { params: { query: { filter: wanted, cursor } } })).catch(
      () => null,
    );
    if (said && !said.error && wanted === text) value = wanted;
  }

  function take(index: number): void {
    const option = options[index];
    if (!option) return;
    // Up to the cursor, wherever it is by now: the option may have been offered a letter ago.
    text = text.slice(0, option.start) + option.insert + text.slice(cursor);
    cursor = option.start + option.insert.length;
    chosen = -1;
    open = option.insert.endsWith(':');
    void apply();
    requestAnimationFrame(() => {
      input.focus();
      input.setSelectionRange(cursor, cursor);
    });
  }

  function onkeydown(event: KeyboardEvent): void {
    if (event.key === 'ArrowDown' && (open || text === '')) {
      open = true;
      chosen = Math.min(chosen + 1, options.length - 1);
    } else if (event.key === 'ArrowUp' && open) chosen = Math.max(chosen - 1, -1);
    else if ((event.key === 'Enter' || event.key === 'Tab') && open && chosen >= 0) take(chosen);
    else if (event.key === 'Enter') {
      open = false;
      void apply();
      return;
    } else if (event.key === 'Escape' && open) open = false;
    else return;
    event.preventDefault();
    event.stopPropagation();
  }

  export function focus(): void {
    input.focus();
    input.select();
  }
</script>

<div class="relative flex-1">
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
  <p id="filter-error" class="text-removed text-sm {error ? 'pt-1' : ''}" role="alert">{error}</p>
  <ul
    id="completions"
    role="listbox"
    aria-label="Ways to go on"
    class="bg-sheet border-ink absolute top-9 left-0 z-20 max-h-80 min-w-[460px] overflow-y-auto border shadow-lg {options.length
      ? ''
      : 'hidden'}"
  >
    {#each options as option, index (index)}
      <li id="completion-{index}" role="option" aria-selected={index === chosen}>
        <button
          type="button"
          tabindex="-1"
          class="flex w-full gap-4 px-3 py-1 text-left {index === chosen ? 'bg-picked' : 'hover:bg-shade'}"
          onmousedown={(event) => {
            event.preventDefault();
            take(index);
          }}
        >
          <span class="figures">{option.insert}</span><span class="text-soft">{option.hint}</span>
        </button>
      </li>
    {/each}
  </ul>
</div>
