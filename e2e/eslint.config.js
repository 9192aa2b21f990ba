import js from '@eslint/js';
import globals from 'globals';

/** Longest line, in columns. */
const WIDTH = 140;

/** The formatter leaves words and comments as they are. @type {import('eslint').Rule.RuleModule} */
const width = {
  create: (context) => ({
    Program() {
      context.sourceCode.lines.forEach((text, i) => {
        if (text.length > WIDTH) context.report({ loc: { line: i + 1, column: WIDTH }, message: `longer than ${WIDTH} columns` });
      });
    },
  }),
};

export default [
  js.configs.recommended,
  {
    languageOptions: {
      ecmaVersion: 2024,
      sourceType: 'module',
      globals: {
        ...globals.browser,
        ...globals.worker,
        ...globals.node,
        AudioWorkletProcessor: 'readonly',
        registerProcessor: 'readonly',
        currentTime: 'readonly',
        sampleRate: 'readonly',
      },
    },
    plugins: { house: { rules: { width } } },
    rules: {
      'house/width': 'error',
      eqeqeq: 'error',
      'prefer-const': 'error',
      'no-var': 'error',
      'no-unused-vars': ['error', { argsIgnorePattern: '^_' }],
    },
  },
];
