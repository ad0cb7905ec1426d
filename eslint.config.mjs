import js from '@eslint/js';
import ngrx from '@ngrx/eslint-plugin/v9';
import angular from 'angular-eslint';
import prettier from 'eslint-config-prettier';
import { defineConfig, globalIgnores } from 'eslint/config';
import { importX } from 'eslint-plugin-import-x';
import globals from 'globals';
import tseslint from 'typescript-eslint';

/** Layers of the core, lowest first; a folder may import from lower rows only (and from its own row where `peers` says so). */
const LAYERS = [
  ['runtime'],
  ['raster', 'mesh'],
  ['subdivision', 'uv', 'spatial', 'frames'],
  ['transfer', 'extract', 'encode', 'picture', 'unwrap'],
  ['proof'],
];
const FORMATS_MAY_USE = ['runtime', 'raster', 'mesh'];

const forbid = (folder, others, message) => ({
  files: [`packages/core/src/${folder}/**/*.ts`],
  rules: {
    'no-restricted-imports': [
      'error',
      {
        patterns: [
          { regex: '^(?!\\.)', message: 'the core imports nothing but itself' },
          { regex: `^(\\.\\./)+(${others.join('|')})/`, message },
        ],
      },
    ],
  },
});
const layerRules = LAYERS.flatMap((row, i) =>
  row.map((folder) =>
    forbid(
      folder,
      [...LAYERS.slice(i + 1).flat(), ...(i <= 1 ? row.filter((f) => f !== folder) : []), 'formats'],
      `${folder} may import from lower layers only: ${LAYERS.slice(0, i).flat().join(', ') || 'nothing'}`,
    ),
  ),
);
const formatsRule = forbid('formats', LAYERS.flat().filter((f) => !FORMATS_MAY_USE.includes(f)), `formats may import from ${FORMATS_MAY_USE.join(', ')} only`); // prettier-ignore

/** Which workspace packages a package may import. */
const PACKAGES = {
  'packages/contracts': ['core'],
  'packages/node': ['core'],
  'packages/delivery': ['contracts', 'core', 'node'],
  'packages/geometry': ['core'],
  'packages/demo': ['core'],
  'apps/cli': ['contracts', 'core', 'delivery', 'demo', 'geometry', 'node'],
  'apps/server': ['contracts', 'core', 'delivery', 'demo', 'geometry', 'node'],
  'apps/web': ['contracts', 'core', 'geometry'],
};
const packageRules = Object.entries(PACKAGES).map(([folder, allowed]) => ({
  files: [`${folder}/src/**/*.ts`],
  rules: {
    'no-restricted-imports': [
      'error',
      { patterns: [{ regex: `^@estampe/(?!(${allowed.join('|')})$)`, message: `${folder} may import ${allowed.join(', ')} only` }] },
    ],
  },
}));

export default defineConfig([
  globalIgnores([
    '**/dist/',
    'packages/core/kernels/',
    '.angular/',
    '.estampe/',
    '.pgdata/',
    'coverage/',
    'test-results/',
    'playwright-report/',
  ]),
  { files: ['**/*.mjs'], extends: [js.configs.recommended], languageOptions: { globals: globals.node } },
  {
    files: ['**/*.ts'],
    extends: [js.configs.recommended, tseslint.configs.strictTypeChecked, tseslint.configs.stylisticTypeChecked],
    languageOptions: { parserOptions: { tsconfigRootDir: import.meta.dirname, project: 'tsconfig.lint.json' } },
    rules: {
      '@typescript-eslint/consistent-type-imports': 'error',
      '@typescript-eslint/no-confusing-void-expression': ['error', { ignoreArrowShorthand: true }],
      '@typescript-eslint/restrict-template-expressions': ['error', { allowNumber: true }],
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_' }],
      '@typescript-eslint/require-await': 'off', // fakes that implement async interfaces
      '@typescript-eslint/no-unnecessary-condition': 'off', // wrong about indexed access without noUncheckedIndexedAccess
      '@typescript-eslint/dot-notation': 'off', // TS4111 (noPropertyAccessFromIndexSignature) rules here
      '@typescript-eslint/prefer-for-of': 'off', // an indexed loop over a typed array is not slower to read, and faster to run
      '@typescript-eslint/non-nullable-type-assertion-style': 'off',
      'no-restricted-syntax': [
        'error',
        {
          selector: "ImportDeclaration[source.value='zod'] > ImportSpecifier[imported.name='z']",
          message: "import * as z from 'zod': the named z bundles every locale (+364 kB).",
        },
      ],
    },
  },
  {
    files: ['**/src/**/*.ts'],
    plugins: { 'import-x': importX },
    settings: { 'import-x/resolver': { node: { extensions: ['.ts'] } }, 'import-x/parsers': { '@typescript-eslint/parser': ['.ts'] } },
    rules: { 'import-x/no-cycle': ['error', { ignoreExternal: true }] },
  },
  ...packageRules,
  ...layerRules,
  formatsRule,
  {
    files: ['packages/core/src/index.ts', 'packages/core/src/kernels.ts'],
    rules: { 'no-restricted-imports': ['error', { patterns: [{ regex: '^(?!\\.)', message: 'the core imports nothing but itself' }] }] },
  },
  {
    files: ['apps/web/src/**/*.ts', 'apps/web/jest.setup.ts'],
    extends: [angular.configs.tsRecommended, ...ngrx.configs.all],
    processor: angular.processInlineTemplates,
    rules: {
      '@ngrx/prefer-effect-callback-in-block-statement': 'off', // an expression is the shorter of two equal forms
      '@angular-eslint/prefer-on-push-component-change-detection': 'error',
      '@typescript-eslint/no-extraneous-class': ['error', { allowWithDecorator: true }],
    },
  },
  {
    files: ['apps/web/**/*.html'],
    extends: [angular.configs.templateRecommended, angular.configs.templateAccessibility],
    rules: {
      // what Material has comes from Material; left out: pickers of files, which nothing replaces, and the handles drawn on canvases
      'no-restricted-syntax': [
        'error',
        {
          selector:
            'Element[name=/^(button|input|select|textarea|table)$/]:not(:has(> .attributes[name=/^mat-?[A-Za-z]/])):not(:has(> .attributes[name="type"][value="file"]))',
          message: 'A control of the browser: give it its Material directive.',
        },
        { selector: 'Element[name=/^(dialog|details|progress|meter|datalist|fieldset)$/]', message: 'Material has its own of these.' },
        { selector: 'Element[name="mat-icon"]:not(:has(> .attributes, > .inputs))', message: 'An icon without a picture.' },
      ],
    },
  },
  prettier,
]);
