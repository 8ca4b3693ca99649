import js from '@eslint/js';
import svelte from 'eslint-plugin-svelte';
import globals from 'globals';
import ts from 'typescript-eslint';
import svelteConfig from './svelte.config.js';

export default ts.config(
  { ignores: ['.svelte-kit/', 'src/lib/api/generated.ts', 'node_modules/'] },
  js.configs.recommended,
  ...ts.configs.recommended,
  ...svelte.configs.recommended,
  { languageOptions: { globals: globals.browser } },
  {
    files: ['**/*.svelte', '**/*.svelte.ts'],
    languageOptions: { parserOptions: { parser: ts.parser, extraFileExtensions: ['.svelte'], svelteConfig } },
  },
  {
    rules: {
      // TypeScript knows which names there are.
      'no-undef': 'off',
      // The application is served from the root of its own address, so paths need no base.
      // Sets, maps and dates are made for a moment here, and put in place of the one before.
      'svelte/prefer-svelte-reactivity': 'off',
      // What somebody is typing is theirs until the question is another one.
      'svelte/prefer-writable-derived': 'off',
      'svelte/no-useless-mustaches': 'off',
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
      'svelte/no-navigation-without-resolve': 'off',
      // What makes an answer old stands in one place: a question is asked by `query`, under a `Key`.
      'no-restricted-imports': ['error', { name: '@tanstack/svelte-query', importNames: ['createQuery'] }],
      'no-restricted-syntax': [
        'error',
        {
          selector:
            "NewExpression[callee.name='Date'][arguments.length=0], MemberExpression[object.name='Date'][property.name='now']",
          message: 'Ask $lib/state/clock.',
        },
      ],
    },
  },
  { files: ['src/lib/api/queries.ts'], rules: { 'no-restricted-imports': 'off' } },
);
