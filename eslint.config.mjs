import angular from 'angular-eslint';
import tseslint from 'typescript-eslint';
import { layers } from './tools/lib/layers.mjs';

const areas = [...new Set([...layers.flat(), 'calendar', 'holds', 'reports'])];

/** Another area is reached through its index.ts only. */
const throughIndex = {
  regex: `^\\.\\.(?:/\\.\\.)?/(?:${areas.join('|')})/(?!index(?:\\.js)?$)`,
  message: 'Reach another area through its index.ts.',
};
const forbid = (...patterns) => ['error', { patterns: [throughIndex, ...patterns] }];

/** Names of attributes and inputs that a person reads. */
const readNames = '/^(label|title|heading|header|placeholder|alt|aria-?label|pTooltip|summary|message)$/i';
/** Words that an expression may come to, other than those that it compares with. */
const results = [
  'Conditional > LiteralPrimitive.trueExp',
  'Conditional > LiteralPrimitive.falseExp',
  'Binary[operation=/^([+]|[?]{2}|[|]{2})$/] > LiteralPrimitive',
].join(', ');

/** What holds for all code; a block with restrictions of its own names these too. */
const restricted = [
  { selector: 'TSEnumDeclaration', message: 'Use a union of literals.' },
  {
    selector: "CallExpression[callee.property.name='push'] > SpreadElement",
    message: 'There may be more than a call takes arguments (some 120,000): put them in one by one.',
  },
];

export default tseslint.config(
  { ignores: ['**/dist/**', '**/node_modules/**', '.angular/**', '.data/**', 'test-results/**', 'playwright-report/**'] },
  ...tseslint.configs.recommended,
  {
    files: ['**/*.ts'],
    rules: {
      '@typescript-eslint/no-explicit-any': 'error',
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
      '@typescript-eslint/consistent-type-imports': ['error', { fixStyle: 'inline-type-imports', disallowTypeAnnotations: false }],
      'no-restricted-syntax': ['error', ...restricted],
      eqeqeq: 'error',
      'no-console': 'error',
    },
  },
  {
    // The core is pure: no IO, no clock, no chance, no framework.
    files: ['core/src/**/*.ts'],
    ignores: ['**/*.spec.ts'],
    rules: {
      'no-restricted-imports': forbid({
        group: ['node:*', '@angular/*', 'rxjs*', 'pg', 'hono*', 'zod', '@key-cellar/*', '!@key-cellar/words'],
        message: 'The core is pure.',
      }),
      'no-restricted-globals': ['error', 'process', 'fetch', 'setTimeout', 'setInterval', 'localStorage', 'document', 'window'],
      'no-restricted-properties': [
        'error',
        { object: 'Date', property: 'now', message: '“Today” is an argument.' },
        { object: 'Math', property: 'random', message: 'The core is deterministic.' },
      ],
    },
  },
  {
    files: ['contract/src/**/*.ts'],
    rules: {
      'no-restricted-imports': forbid({
        group: ['@key-cellar/server', '@key-cellar/web', 'node:*', '@angular/*'],
        message: 'The contract knows the core only.',
      }),
    },
  },
  {
    files: ['server/src/**/*.ts'],
    rules: {
      'no-restricted-imports': forbid({
        group: ['@key-cellar/web', '@angular/*', 'primeng*'],
        message: 'The server does not know the web application.',
      }),
    },
  },
  {
    // SQL lives in stores: readings answer, acts decide, services put together.
    files: ['server/src/**/*.ts'],
    ignores: [
      '**/*[sS]tore.ts',
      '**/*.spec.ts',
      'server/src/kernel/connect.ts',
      'server/src/kernel/migrate.ts',
      'server/src/kernel/unitOfWork.ts',
    ],
    rules: {
      'no-restricted-syntax': [
        'error',
        ...restricted,
        { selector: 'CallExpression[callee.name=/^(row|rows|run|dynamicRows)$/]', message: 'SQL belongs in a store.' },
        {
          selector: "CallExpression[callee.property.name='query'][arguments.0.type='TemplateLiteral']",
          message: 'SQL belongs in a store.',
        },
        {
          selector: "CallExpression[callee.property.name='query'][arguments.0.value=/\\b(select|insert|update|delete)\\b/i]",
          message: 'SQL belongs in a store.',
        },
      ],
    },
  },
  {
    files: ['web/src/**/*.ts'],
    extends: [...angular.configs.tsRecommended],
    processor: angular.processInlineTemplates,
    rules: {
      'no-restricted-imports': forbid({
        group: ['@key-cellar/server', 'node:*', 'pg'],
        message: 'The web application knows contract and core.',
      }),
      '@angular-eslint/component-class-suffix': 'off',
      '@angular-eslint/component-selector': ['error', { type: 'element', prefix: 'kc', style: 'kebab-case' }],
      '@angular-eslint/prefer-on-push-component-change-detection': 'error',
      '@angular-eslint/no-input-rename': 'off',
      '@angular-eslint/no-output-native': 'off',
    },
  },
  {
    files: ['web/src/**/*.html'],
    ignores: ['**/*.spec.ts/**'],
    extends: [...angular.configs.templateRecommended, ...angular.configs.templateAccessibility],
    rules: {
      // PrimeNG inputs stand behind their labels by inputId, which the rule cannot see.
      '@angular-eslint/template/label-has-associated-control': 'off',
      // Rows and options react to the keyboard through their grid or combobox.
      '@angular-eslint/template/click-events-have-key-events': 'off',
      '@angular-eslint/template/interactive-supports-focus': 'off',
      // What a person reads is marked for translation; a word inside of an expression cannot be.
      '@angular-eslint/template/i18n': [
        'error',
        { checkId: false, checkDuplicateId: false, checkAttributes: false, ignoreTags: ['code', 'title'] },
      ],
      'no-restricted-syntax': [
        'error',
        {
          selector: `TextAttribute[name=${readNames}][value=/^(?!https:).*\\p{L}{2}/su]:not([i18n])`,
          message: 'What a person reads is marked by i18n- and the name.',
        },
        {
          selector: `BoundAttribute[name=${readNames}]:not([i18n]) Interpolation`,
          message: 'What a person reads is marked by i18n- and the name; a value by itself is bound by [].',
        },
        {
          selector: `:matches(BoundAttribute[name=${readNames}], BoundText) :matches(${results})[value=/\\p{L}/u]`,
          message: 'A word in an expression cannot be translated: write it into the template, or a member by $localize.',
        },
      ],
    },
  },
  // The shell puts the areas together, the program and the composing routes do so on the server.
  { files: ['web/src/app/*.ts', 'server/src/*.ts', 'server/src/http/*.ts'], rules: { 'no-restricted-imports': 'off' } },
  { files: ['tools/**/*.mjs', '**/*.mjs', '**/*.cjs'], rules: { 'no-console': 'off', '@typescript-eslint/no-require-imports': 'off' } },
);
