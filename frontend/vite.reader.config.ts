import { defineConfig } from 'vite';

/** The readers' page: a script and a style sheet, beside the application's own pages. */
export default defineConfig({
  base: './',
  publicDir: false,
  build: {
    outDir: '../src/datebridge/web/reader',
    emptyOutDir: true,
    rollupOptions: {
      input: ['src/reader/reader.ts', 'src/reader/reader.css'],
      output: { entryFileNames: '[name].js', assetFileNames: '[name][extname]' },
    },
  },
});
