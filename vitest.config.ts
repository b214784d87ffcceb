import { resolve } from 'node:path';
import vue from '@vitejs/plugin-vue';
import { defineConfig } from 'vitest/config';
import { BaseSequencer, type TestSpecification } from 'vitest/node';

const exclude = ['**/node_modules/**', '**/dist/**'];
/** What waits for phones waits for events; these only end what would never end. */
const patient = { testTimeout: 300_000, hookTimeout: 300_000 };
/** Nothing waits here; a busy machine takes its time all the same. */
const unhurried = { testTimeout: 60_000, hookTimeout: 60_000 };
/**
 * Modules are loaded once for each worker, not once for each file. With several workers on two processors, threads that
 * collect garbage side by side only wait for each other: that was an eighth of all processor time. What is carried is garbage at once,
 * and the old objects around it were looked through for each few megabytes of it: that was a fifth of a worker's time.
 */
const execArgv = [
  '--single-threaded-gc',
  '--heap-growing-percent=500',
  '--min-semi-space-size=64',
  '--max-semi-space-size=128',
];
const shared = {
  pool: 'forks' as const,
  isolate: false,
  execArgv,
  setupFiles: ['testing/programs/small-process.ts'],
};

/** Of what begins first: where its files lie, or its project. */
const longestFirst = ['e2e', 'phones', 'web', 'pure'];
/** Long stories begin first, so that none is left over at the end, alone. */
class LongestFirst extends BaseSequencer {
  override async sort(files: TestSpecification[]): Promise<TestSpecification[]> {
    const sorted = await super.sort(files);
    const place = ({ project, moduleId }: TestSpecification) =>
      longestFirst.indexOf(moduleId.includes('/e2e/') ? 'e2e' : project.name);
    return sorted.sort((a, b) => place(a) - place(b));
  }
}

export default defineConfig({
  plugins: [vue()],
  publicDir: 'web/public',
  test: {
    // Tests of phones wait half of their time: more of them than there are processors go side by side.
    maxWorkers: 3,
    sequence: { sequencer: LongestFirst },
    projects: [
      {
        extends: true,
        test: {
          ...shared,
          name: 'pure',
          include: ['{core,contract,scripts}/**/*.test.ts'],
          exclude,
          ...unhurried,
          globalSetup: ['testing/flash-setup.ts'],
        },
      },
      {
        extends: true,
        test: {
          ...shared,
          name: 'web',
          // Each of these in one file, which loads in a fraction of the time that thousands take.
          alias: {
            'element-plus': resolve('node_modules/element-plus/dist/index.full.mjs'),
            'lucide-vue-next': resolve('node_modules/lucide-vue-next/dist/cjs/lucide-vue-next.js'),
          },
          include: ['web/**/*.test.ts'],
          exclude,
          ...unhurried,
          // Whose colours are measured.
          css: { include: [/theme\.css/] },
        },
      },
      {
        extends: true,
        test: {
          ...shared,
          ...patient,
          // Stories in the browser as well: both load nearly all of the application.
          name: 'phones',
          include: ['{server,standin,cli,demo}/**/*.test.ts', 'e2e/**/*.e2e.test.ts'],
          exclude,
          globalSetup: ['testing/flash-setup.ts', 'testing/built-setup.ts'],
        },
      },
    ],
  },
});
