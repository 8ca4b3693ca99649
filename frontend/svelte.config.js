import adapter from '@sveltejs/adapter-static';
import { vitePreprocess } from '@sveltejs/vite-plugin-svelte';

/** @type {import('@sveltejs/kit').Config} */
export default {
  preprocess: vitePreprocess(),
  kit: {
    // The application serves this page for every path; the browser finds its way from there.
    adapter: adapter({ pages: '../src/datebridge/web', assets: '../src/datebridge/web', fallback: 'index.html' }),
    version: { name: process.env.npm_package_version ?? '0' },
  },
};
