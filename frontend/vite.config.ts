import { sveltekit } from '@sveltejs/kit/vite';
import tailwindcss from '@tailwindcss/vite';
import { defineConfig } from 'vite';

/** What several pages share comes in few files: each costs a request, and the first page waits for all of its own. */
const codeSplitting = {
  groups: [
    // What everything stands on is a file of its own: else files can need one another before either is there.
    { name: 'svelte', test: /node_modules\/(svelte|esm-env|clsx)\//, minShareCount: 2, priority: 1 },
    { name: 'shared', minShareCount: 2, entriesAware: true, entriesAwareMergeThreshold: 30_000 },
  ],
};

export default defineConfig({
  plugins: [tailwindcss(), sveltekit()],
  build: { rolldownOptions: { output: { codeSplitting } } },
  server: { proxy: { '/api': { target: 'http://127.0.0.1:8137', changeOrigin: true } } },
});
