// How Node runs our programs. What carries gigabytes makes much garbage that is short-lived and large: a young generation of 16 MiB for each
// thread, and an arena of the C library for each, hold twice the memory that is in use, and nothing is faster for it (docs/performance.md).
// Source maps are read by the log alone (server/logging.ts): with --enable-source-maps they stay in memory, 45 MiB of it.

/** @param {string} program built, or in TypeScript */
export const flagsFor = (program) =>
  program.endsWith('.ts') ? ['--import', 'tsx'] : ['--max-semi-space-size=2'];

/** Of glibc; others know nothing of it. */
export const environment = { MALLOC_ARENA_MAX: '2', ...process.env };
