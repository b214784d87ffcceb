import eslint from '@eslint/js';
import prettier from 'eslint-config-prettier';
import vue from 'eslint-plugin-vue';
import globals from 'globals';
import tseslint from 'typescript-eslint';

/**
 * Which rooms a room may import from; see docs/architecture.md. Anything else is a wrong arrow.
 * Tests may reach the simulated phones, since they are what everything is tried on.
 */
const arrows = {
  core: [],
  contract: ['core'],
  server: ['core', 'contract'],
  web: ['core', 'contract'],
  standin: ['core', 'contract'],
  cli: ['core', 'contract', 'server'],
};
const rooms = [...Object.keys(arrows), 'demo', 'e2e', 'testing', 'benchmarks', 'scripts'];
const tests = ['**/*.test.ts', '**/testing/**'];

const arrowRules = Object.entries(arrows).map(([room, allowed]) => {
  const forbidden = rooms.filter((other) => other !== room && !allowed.includes(other));
  return {
    files: [`${room}/**/*.{ts,vue,mjs}`],
    ignores: [...tests, 'web/vite.config.ts'],
    rules: {
      'no-restricted-imports': [
        'error',
        {
          patterns: [
            {
              group: forbidden.flatMap((other) => [
                `@keen-larder/${other}`,
                `@keen-larder/${other}/*`,
                `../**/${other}/**`,
              ]),
              message: `A wrong arrow: ${room} may import ${allowed.join(' and ') || 'nothing of the house'}.`,
            },
            ...(room === 'web' ? [{ group: ['node:*'], message: 'The interface runs in browsers.' }] : []),
            ...(room === 'core'
              ? [
                  {
                    group: ['node:*', 'fs', 'path', 'vue', 'express'],
                    message: 'core does no input or output.',
                  },
                ]
              : []),
          ],
        },
      ],
    },
  };
});

export default tseslint.config(
  { ignores: ['**/dist/**', '**/node_modules/**'] },
  eslint.configs.recommended,
  ...tseslint.configs.strict,
  ...vue.configs['flat/recommended'],
  prettier,
  {
    languageOptions: { globals: { ...globals.node, ...globals.browser } },
    rules: {
      'no-undef': 'off',
      // `!` stands where noUncheckedIndexedAccess cannot see what the line before has checked.
      '@typescript-eslint/no-non-null-assertion': 'off',
      '@typescript-eslint/no-empty-function': 'off',
      '@typescript-eslint/no-invalid-void-type': 'off',
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_' }],
    },
  },
  {
    files: ['**/*.vue'],
    languageOptions: { parserOptions: { parser: tseslint.parser } },
    rules: {
      'vue/multi-word-component-names': 'off',
      'vue/require-default-prop': 'off',
    },
  },
  {
    // By types: what is not awaited, any, cases that are missing. Tests are held by the compiler alone.
    files: ['{core,contract,server,standin,cli,demo}/**/*.ts', 'web/**/*.ts'],
    ignores: [...tests, 'web/vite.config.ts'],
    languageOptions: { parserOptions: { projectService: true, tsconfigRootDir: import.meta.dirname } },
    rules: {
      '@typescript-eslint/await-thenable': 'error',
      '@typescript-eslint/no-base-to-string': 'error',
      '@typescript-eslint/no-deprecated': 'error',
      '@typescript-eslint/no-floating-promises': 'error',
      '@typescript-eslint/no-misused-promises': 'error',
      '@typescript-eslint/no-unnecessary-type-assertion': 'error',
      '@typescript-eslint/no-unsafe-argument': 'error',
      '@typescript-eslint/no-unsafe-assignment': 'error',
      '@typescript-eslint/no-unsafe-call': 'error',
      '@typescript-eslint/no-unsafe-member-access': 'error',
      '@typescript-eslint/no-unsafe-return': 'error',
      '@typescript-eslint/only-throw-error': ['error', { allowThrowingUnknown: true }],
      '@typescript-eslint/prefer-promise-reject-errors': 'error',
      '@typescript-eslint/require-await': 'error',
      '@typescript-eslint/restrict-template-expressions': [
        'error',
        { allowNumber: true, allowBoolean: true },
      ],
      '@typescript-eslint/return-await': 'error',
      '@typescript-eslint/switch-exhaustiveness-check': [
        'error',
        { considerDefaultExhaustiveForUnions: true },
      ],
    },
  },
  {
    // What a component is, only its own compiler knows: vue-tsc checks these.
    files: ['web/router.ts', 'web/main.ts'],
    rules: {
      '@typescript-eslint/no-unsafe-argument': 'off',
      '@typescript-eslint/no-unsafe-assignment': 'off',
    },
  },
  {
    // The interface runs in browsers.
    files: ['web/**/*.{ts,vue}'],
    ignores: ['web/vite.config.ts'],
    rules: { 'no-restricted-globals': ['error', 'process', 'Buffer', 'global', 'require'] },
  },
  ...arrowRules,
);
