// `npm run words -- [AREA]`: every string that a person may come to read, in one list, to be read in one go. Checks and verdicts have
// theirs beside their rules (docs/decisions/words.md).
import { join } from 'node:path';
import { codeFiles } from '../testing/sources/imports.ts';
import { wordsOf } from '../testing/sources/words.ts';

const root = join(import.meta.dirname, '..');
const [area = ''] = process.argv.slice(2);
const rooms = /^(core|contract|server|web|cli|standin|demo)\//;
for (const file of codeFiles) {
  if (!rooms.test(file) || !file.startsWith(area) || file.endsWith('.mjs')) continue;
  const words = wordsOf(root, file);
  if (words.length === 0) continue;
  process.stdout.write(`\n${file}\n`);
  for (const { line, text } of words) process.stdout.write(`${String(line).padStart(5)}  ${text}\n`);
}
