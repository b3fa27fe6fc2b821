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
    files: ['**/*.ts', '**/*.tsx'],
    extends: [...tseslint.configs.strictTypeCheckedOnly, ...tseslint.configs.stylisticTypeCheckedOnly],
    // One program for all: a project for each package would read core and api six times over.
    languageOptions: { parserOptions: { project: ['./tsconfig.check.json'], tsconfigRootDir: import.meta.dirname } },
    rules: {
      // `return refuse(why);` and `void (await write())` end what answers nothing; both say so at a glance.
      '@typescript-eslint/no-confusing-void-expression': 'off',
      '@typescript-eslint/no-meaningless-void-operator': 'off',
      '@typescript-eslint/restrict-template-expressions': ['error', { allowNumber: true, allowBoolean: true }],
      // Asks for every name whether it is deprecated: an eighth of the time, for what an update of a package says anyway.
      '@typescript-eslint/no-deprecated': 'off',
      // There is no enum here, and no class that another one could pass for: a third of the time for nothing.
      '@typescript-eslint/no-unsafe-enum-assignment': 'off',
      '@typescript-eslint/no-unsafe-class-instance-assignment': 'off',
      // What a driver gives is not always what it is typed as (a big number, a text): converting it is no mistake.
      '@typescript-eslint/no-unnecessary-type-conversion': 'off',
      // `async` without `await` is how a function that throws becomes one that rejects.
      '@typescript-eslint/require-await': 'off',
      // Text is taken apart by code points on purpose.
      '@typescript-eslint/no-misused-spread': 'off',
      // What is made into text here is read from a schema or a document and was looked at; the rule sees `unknown`.
      '@typescript-eslint/no-base-to-string': 'off',
      '@typescript-eslint/no-invalid-void-type': ['error', { allowAsThisParameter: true }],
      // The compiler has its own say: members of an index signature are written in brackets.
      '@typescript-eslint/dot-notation': ['error', { allowIndexSignaturePropertyAccess: true }],
    },
  },
  {
    files: ['e2e/**/*.ts', '**/*.test.ts', 'packages/standins/**/*.ts'],
    rules: {
      // Matchers are `any`, and what a caught refusal has is what the test is about.
      '@typescript-eslint/no-unsafe-assignment': 'off',
      '@typescript-eslint/use-unknown-in-catch-callback-variable': 'off',
      '@typescript-eslint/no-unsafe-argument': 'off',
      '@typescript-eslint/no-unnecessary-condition': 'off',
    },
  },
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
