import js from '@eslint/js';
import globals from 'globals';

export default [
  js.configs.recommended,
  {
    languageOptions: { ecmaVersion: 2024, sourceType: 'module', globals: { ...globals.browser, ...globals.worker, ...globals.node, AudioWorkletProcessor: 'readonly', registerProcessor: 'readonly', currentTime: 'readonly', sampleRate: 'readonly' } },
    rules: { eqeqeq: 'error', 'prefer-const': 'error', 'no-var': 'error', 'no-unused-vars': ['error', { argsIgnorePattern: '^_' }] },
  },
];
