import js from '@eslint/js';
import angular from 'angular-eslint';
import { defineConfig, globalIgnores } from 'eslint/config';
import tseslint from 'typescript-eslint';

const nodeGlobals = Object.fromEntries(
  ['process', 'console', 'performance', 'setTimeout', 'clearTimeout', 'setInterval', 'URL', 'Buffer', 'fetch', 'AbortSignal', 'URLSearchParams', 'module'].map(
    (name) => [name, 'readonly'],
  ),
);
/** The core gets its time and its chance from its callers. */
const CLOCKS = [
  { object: 'Date', property: 'now', message: 'The core has no clock: take the time as an argument.' },
  { object: 'Math', property: 'random', message: 'The core has no chance of its own: take a random source as an argument.' },
];

export default defineConfig([
  globalIgnores(['**/dist/**', '**/.angular/**', 'dist-types/**', 'node_modules/**', '.data/**', '.cache/**', 'web/public/**']),
  js.configs.recommended,
  {
    files: ['**/*.{mjs,cjs,js}'],
    languageOptions: {
      globals: { ...nodeGlobals, module: 'writable', document: 'readonly', window: 'readonly', localStorage: 'readonly' },
    },
  },
  {
    files: ['**/*.ts'],
    extends: [tseslint.configs.recommendedTypeChecked],
    languageOptions: {
      parserOptions: {
        project: [
          './core/tsconfig.json',
          './contract/tsconfig.json',
          './server/tsconfig.json',
          './standins/tsconfig.json',
          './web/tsconfig.spec.json',
          './web/tsconfig.worker.json',
          './tsconfig.test.json',
        ],
        tsconfigRootDir: import.meta.dirname,
      },
    },
    rules: {
      '@typescript-eslint/require-await': 'off',
      // Rows that Knex types as `any` are told what they are by an assertion; the rule takes those for unnecessary.
      '@typescript-eslint/no-unnecessary-type-assertion': 'off',
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
      '@typescript-eslint/consistent-type-imports': ['error', { fixStyle: 'inline-type-imports' }],
      '@typescript-eslint/no-namespace': ['error', { allowDeclarations: true }],
    },
  },
  {
    files: ['core/src/**/*.ts'],
    ignores: ['core/src/**/*.spec.ts'],
    rules: {
      'no-restricted-properties': ['error', ...CLOCKS],
      'no-restricted-globals': [
        'error',
        'performance',
        'setTimeout',
        'setInterval',
        'crypto',
        'process',
        'Buffer',
        'document',
        'window',
        'fetch',
      ],
      'no-restricted-syntax': [
        'error',
        {
          selector: "NewExpression[callee.name='Date'][arguments.length=0]",
          message: 'The core has no clock: take the time as an argument.',
        },
      ],
    },
  },
  {
    files: ['web/src/**/*.ts'],
    extends: [angular.configs.tsRecommended],
    processor: angular.processInlineTemplates,
    rules: {
      '@angular-eslint/component-selector': ['error', { type: 'element', prefix: 'dp', style: 'kebab-case' }],
      '@angular-eslint/prefer-on-push-component-change-detection': 'error',
    },
  },
  { files: ['web/src/**/*.html'], extends: [angular.configs.templateRecommended, angular.configs.templateAccessibility] },
  {
    files: ['**/*.spec.ts', 'e2e/**/*.ts', 'server/test/**/*.ts'],
    rules: {
      '@typescript-eslint/no-unsafe-call': 'off',
      '@typescript-eslint/no-unsafe-member-access': 'off',
      '@typescript-eslint/no-unsafe-assignment': 'off',
      '@typescript-eslint/no-unsafe-argument': 'off',
      '@typescript-eslint/no-unsafe-return': 'off',
      '@typescript-eslint/no-non-null-assertion': 'off',
      '@typescript-eslint/unbound-method': 'off',
    },
  },
]);
