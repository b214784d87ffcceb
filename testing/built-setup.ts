import { buildInterface, buildWorkers } from '../scripts/prepare.mjs';

/**
 * A worker is a file that Node reads, so it is built before the tests that use one; so is what a browser shows, unless the
 * files that were asked for are none of its stories.
 */
export default async function setup(): Promise<void> {
  buildWorkers();
  const asked = process.argv
    .slice(2)
    .filter((argument) => /[./]/.test(argument) && !argument.startsWith('-'));
  if (asked.length === 0 || asked.some((argument) => argument.includes('e2e'))) await buildInterface();
}
