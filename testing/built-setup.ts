import { buildInterface, buildPrograms } from '../scripts/prepare.mjs';

/**
 * Threads and programs that are started run from built files; so is what a browser shows, unless the
 * files that were asked for are none of its stories.
 */
export default async function setup(): Promise<void> {
  await buildPrograms();
  const asked = process.argv
    .slice(2)
    .filter((argument) => /[./]/.test(argument) && !argument.startsWith('-'));
  if (asked.length === 0 || asked.some((argument) => argument.includes('e2e'))) await buildInterface();
}
