<script lang="ts">
  import { AIMS, cap, keys, type Key } from '$lib/state/keys.svelte';
  import Sheet from '$lib/ui/Sheet.svelte';

  /** The keys that work here, by what one wants to do. */
  const { onclose }: { onclose: () => void } = $props();

  const HELP = [
    ['guide', 'Guide'],
    ['filters', 'Filters'],
    ['sharing', 'Sharing'],
    ['servers', 'Servers'],
    ['cli', 'Command line'],
    ['operating', 'Operation'],
    ['glossary', 'Glossary'],
  ];
  const groups = $derived(
    (Object.keys(AIMS) as (keyof typeof AIMS)[])
      .map((aim) => ({ aim, keys: keys.all.filter((key: Key) => (key.aim ?? 'go') === aim) }))
      .filter((group) => group.keys.length),
  );
</script>

<Sheet label="Keys on this page" width={820} leave="Close" {onclose}>
  <!-- svelte-ignore a11y_autofocus (the first link would have the focus, and Enter would open it) -->
  <h2 tabindex="-1" autofocus class="mb-3 text-lg font-bold outline-none">Keys on this page</h2>
  <div class="gap-8 min-[760px]:columns-2">
    {#each groups as group (group.aim)}
      <section class="mb-4 break-inside-avoid">
        <h3 class="text-soft border-line mb-1 border-b text-[13px] font-bold">{AIMS[group.aim]}</h3>
        <dl class="text-[13px]">
          {#each group.keys as key, k (k)}
            <div class="flex gap-3 py-0.5">
              <dt class="figures w-24 shrink-0">{cap(key.key)}</dt>
              <dd class="min-w-0 flex-1">{key.does}</dd>
            </div>
          {/each}
        </dl>
      </section>
    {/each}
  </div>
  <p class="text-soft flex flex-wrap gap-4 text-[13px]">
    More:
    {#each HELP as [page, name] (page)}
      <a class="text-brass underline" href="/help/{page}" target="_blank" rel="noopener" data-sveltekit-reload>{name}</a
      >
    {/each}
  </p>
</Sheet>
