<script lang="ts">
  import { key, query, refresh } from '$lib/api/queries';
  import { useQueryClient } from '@tanstack/svelte-query';
  import Action from '$lib/ui/Action.svelte';
  import MendNav from '$lib/mend/MendNav.svelte';
  import { answer, client } from '$lib/api/client';
  import { attempt } from '$lib/state/attempt.svelte';
  import { walking } from '$lib/state/focus';
  import { notices } from '$lib/state/notice.svelte';
  import { rows } from '$lib/state/rows';

  /** Steps that are kept under a name: what they do, as a file to take elsewhere, and bringing one in. */
  const queries = useQueryClient();
  const recipes = query(() => ({ queryKey: key('recipes'), queryFn: () => answer(client.GET('/api/recipes')) }));
  let picker: HTMLInputElement | undefined;

  async function bring(files: FileList | null): Promise<void> {
    for (const file of files ?? []) {
      await attempt(async () => {
        const body = { file: file.name, text: await file.text() };
        const made = await answer(client.POST('/api/recipes/files', { body }));
        notices.say(`Saved: “${made.name}”.`);
      });
    }
    await refresh(queries, 'recipes');
    if (picker) picker.value = '';
  }

  async function forget(name: string): Promise<void> {
    await attempt(async () => {
      await answer(client.DELETE('/api/recipes/{name}', { params: { path: { name } } }));
      await refresh(queries, 'recipes');
      notices.say(`Deleted: “${name}”.`);
    });
  }
</script>

<svelte:head><title>Recipes · Date Bridge</title></svelte:head>

<MendNav>
  <Action onclick={() => picker?.click()} hint="A recipe file exported from Date Bridge">Import a recipe…</Action>
</MendNav>
<input
  bind:this={picker}
  type="file"
  accept=".json"
  hidden
  aria-hidden="true"
  onchange={(event) => void bring(event.currentTarget.files)}
/>
<div
  class="min-h-0 flex-1 overflow-y-auto px-4 pb-3"
  role="region"
  aria-label="Recipes"
  tabindex="-1"
  data-rest
  data-part
  {@attach walking('a[href], button', undefined, true)}
>
  <h1 class="text-xl font-bold">Recipes</h1>
  <p class="text-soft mb-4 max-w-[90ch]">
    Saved steps for bulk changes. To use a recipe, select entries in
    <a class="text-brass underline" href="/look">Look</a>, press <kbd class="figures border px-1 text-[11px]">m</kbd>
    and choose it, or clean files with <span class="figures">date-bridge clean RECIPE FILE…</span>
  </p>
  {#if recipes.isError}<p class="text-removed py-2">{recipes.error.message}</p>{/if}
  {#if recipes.data?.length === 0}
    <p class="py-3">None yet. Select entries in Look, press m, define the steps, and save them as a recipe.</p>
  {/if}
  <ul class="ruled" {@attach rows()}>
    {#each recipes.data ?? [] as recipe (recipe.name)}
      <li class="flex items-start gap-4 py-2">
        <div class="min-w-0 flex-1">
          <strong>{recipe.name}</strong>
          <ol class="text-soft list-inside list-decimal text-[13px]">
            {#each recipe.says as step, at (at)}<li>{step}</li>{/each}
          </ol>
        </div>
        <a
          class="border-line bg-sheet h-control inline-flex items-center border px-3 text-sm font-medium"
          href="/api/recipes/{encodeURIComponent(recipe.name)}/file"
          aria-label="Save as a file: {recipe.name}"
          download>Save as a file</a
        >
        <Action onclick={() => void forget(recipe.name)} named="Delete {recipe.name}">Delete</Action>
      </li>
    {/each}
  </ul>
</div>
