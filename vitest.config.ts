import vue from '@vitejs/plugin-vue';
import { defineConfig } from 'vitest/config';

const common = {
  pool: 'forks' as const,
  testTimeout: 120_000,
  hookTimeout: 180_000,
  globalSetup: ['e2e/support/flash-setup.ts'],
};

export default defineConfig({
  plugins: [vue()],
  publicDir: 'web/public',
  test: {
    maxWorkers: 2,
    projects: [
      {
        extends: true,
        test: {
          ...common,
          name: 'unit',
          include: ['{core,contract,server,web,standin,cli,demo,scripts}/**/*.test.ts'],
          exclude: ['**/*.reference.test.ts', '**/node_modules/**'],
        },
      },
      {
        extends: true,
        test: {
          ...common,
          name: 'reference',
          include: ['**/*.reference.test.ts'],
          exclude: ['**/node_modules/**'],
        },
      },
      {
        extends: true,
        test: {
          ...common,
          name: 'browser',
          include: ['e2e/**/*.e2e.test.ts'],
          fileParallelism: false,
          testTimeout: 300_000,
        },
      },
    ],
  },
});
