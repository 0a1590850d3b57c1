import js from '@eslint/js';
import globals from 'globals';

export default [
  js.configs.recommended,
  {
    files: ['src/**/*.js', 'test/**/*.js'],
    languageOptions: { ecmaVersion: 2023, sourceType: 'module', globals: { ...globals.browser } },
    rules: { eqeqeq: ['error', 'always', { null: 'ignore' }], 'no-unused-vars': 'error', 'prefer-const': 'error', 'no-var': 'error' },
  },
  { files: ['*.mjs', 'test/**/*.js'], languageOptions: { globals: { ...globals.node } } },
];
