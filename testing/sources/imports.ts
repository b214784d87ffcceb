// What the files of the house import, as it stands in them.
import { execFileSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { dirname, join, normalize } from 'node:path';

const root = join(import.meta.dirname, '../..');
const specifier = /(?:from|import)\s*\(?\s*'([^'\n]+)'/g;

/** Every file of code, tests among them, by its path from the root. */
export const codeFiles = execFileSync(
  'git',
  ['ls-files', '-co', '--exclude-standard', '*.ts', '*.vue', '*.mjs'],
  { cwd: root, encoding: 'utf8' },
)
  .split('\n')
  .filter(Boolean);

export const isTest = (file: string) => /\.test\.ts$|(^|\/)testing\//.test(file);

export const importsIn = (source: string): string[] => [...source.matchAll(specifier)].map(([, to]) => to!);

/** What a file imports, as it is written there; nothing of a file that has just gone. */
export function importsOf(file: string): string[] {
  try {
    return importsIn(readFileSync(join(root, file), 'utf8'));
  } catch {
    return [];
  }
}

/** The path from the root that an import in a file leads to; undefined where it leads out of the house. */
export function pathOf(file: string, to: string): string | undefined {
  if (to.startsWith('.')) return normalize(join(dirname(file), to));
  return to.startsWith('@keen-larder/') ? to.slice('@keen-larder/'.length) : undefined;
}
