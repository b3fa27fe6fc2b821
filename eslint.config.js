import js from '@eslint/js';
import tseslint from 'typescript-eslint';

const noClock = [
  { selector: "CallExpression[callee.object.name='Date'][callee.property.name='now']", message: 'Time is passed in.' },
  { selector: "NewExpression[callee.name='Date'][arguments.length=0]", message: 'Time is passed in.' },
  {
    selector: "CallExpression[callee.object.name='Math'][callee.property.name='random']",
    message: 'Randomness is passed in.',
  },
];

export default tseslint.config(
  { ignores: ['**/dist/**', '**/node_modules/**', '.run/**'] },
  js.configs.recommended,
  ...tseslint.configs.strict,
  ...tseslint.configs.stylistic,
  {
    rules: {
      'max-lines': ['error', { max: 500 }],
      'no-console': 'error',
      eqeqeq: ['error', 'always', { null: 'ignore' }],
      '@typescript-eslint/ban-ts-comment': [
        'error',
        { 'ts-ignore': true, 'ts-expect-error': 'allow-with-description' },
      ],
      '@typescript-eslint/no-non-null-assertion': 'off',
      '@typescript-eslint/no-empty-function': 'off',
      '@typescript-eslint/consistent-type-definitions': 'off',
      '@typescript-eslint/consistent-type-imports': 'error',
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
      'no-control-regex': 'off',
    },
  },
  {
    files: ['packages/core/src/**'],
    ignores: ['**/*.test.ts'],
    rules: {
      'no-restricted-globals': ['error', 'process', 'fetch', 'setTimeout', 'setInterval', 'console'],
      'no-restricted-syntax': ['error', ...noClock],
    },
  },
  {
    files: ['packages/api/src/**'],
    rules: { 'no-restricted-globals': ['error', 'process', 'Buffer', 'setInterval'] },
  },
  {
    // Sequelize fails on statements that return rows unless the kind of query is said.
    files: ['packages/service/src/**'],
    ignores: ['packages/service/src/platform/db/sql.ts'],
    rules: {
      'no-restricted-syntax': [
        'error',
        {
          selector: "CallExpression[callee.property.name='query'][callee.object.property.name='sequelize']",
          message: 'Use db/sql.ts.',
        },
      ],
    },
  },
  {
    files: ['**/*.mjs', '**/*.js'],
    languageOptions: {
      globals: {
        process: 'readonly',
        console: 'readonly',
        fetch: 'readonly',
        setTimeout: 'readonly',
        clearTimeout: 'readonly',
        setInterval: 'readonly',
        clearInterval: 'readonly',
        URL: 'readonly',
        Buffer: 'readonly',
        performance: 'readonly',
        AbortSignal: 'readonly',
        document: 'readonly',
        window: 'readonly',
        getComputedStyle: 'readonly',
      },
    },
    rules: { 'no-console': 'off' },
  },
);
