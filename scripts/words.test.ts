// Plain trade English, as docs/decisions/words.md has it: turns that stumble, and words of our own for what has a usual one.
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect, it } from 'vitest';
import { codeFiles } from '../testing/sources/imports.ts';
import { wordsOf } from '../testing/sources/words.ts';

const root = join(import.meta.dirname, '..');
const rooms = /^(core|contract|server|web|cli)\/.*\.(ts|vue)$/;

/** What is not said, and what is said instead. */
const unsaid: readonly (readonly [RegExp, string])[] = [
  [/^Came:|\bCame by\b/, 'Installed'],
  [/\bWith a step or a word first\b/, 'Needs a step first'],
  [/\bmend(s|ed|ing)?\b/i, 'repair'],
  [/^Asks for:/, 'Permissions'],
  [/\bWhat one should know\b/, 'Note'],
  [/✓ read|✗ written/, 'read only, or read and write'],
  [/\bgo on all the same\b/i, 'I understand'],
  [/^This was not done/, 'what was not done, and why'],
  [
    /\b(heretofore|therein|thereof|thereby|wherein|whereof|hence|whence|lest|amiss|behold|nigh|ere|unto|albeit)\b/i,
    'a plain word',
  ],
  [
    /\b(is|are) no (number|name|address|property|file|copy|chunk|header|entry|manifest|archive|text|JSON)\b(?! of| that| in| with| in it)/,
    'is not a …',
  ],
  [/\botherwise than\b/, 'other … than'],
  [/\bas yet\b/, 'yet'],
];

const said = codeFiles.filter((file) => rooms.test(file)).flatMap((file) => wordsOf(root, file));

it('finds what a person may come to read', () => {
  expect(said.length).toBeGreaterThan(3000);
  const texts = said.map(({ text }) => text);
  // Out of a rule, out of a template, and out of an attribute.
  expect(texts).toContain('Not enough space on the shelf');
  expect(texts).toContain('Nothing has been run yet');
  expect(texts).toContain('Filter the runs');
});

it('says nothing that is not said', () => {
  const odd = said.flatMap(({ file, line, text }) =>
    unsaid.filter(([rule]) => rule.test(text)).map(([, better]) => `${file}:${line}: ${text} (${better})`),
  );
  expect(odd).toEqual([]);
});

it('reads what is filled in as …, and leaves out code', () => {
  const folder = mkdtempSync(join(tmpdir(), 'keen-larder-words-'));
  try {
    writeFileSync(
      join(folder, 'a.vue'),
      `<template><p class="wide-one">Kept {{ n }} of <b title="All of them">{{ all ? 'every set' : x }}</b></p></template>
<script setup lang="ts">
const sql = \`SELECT a FROM b\`;
const words = \`Image \${name} again.\`;
</script>`,
    );
    expect(wordsOf(folder, 'a.vue')).toEqual([
      { file: 'a.vue', line: 1, text: 'Kept … of' },
      { file: 'a.vue', line: 1, text: 'All of them' },
      { file: 'a.vue', line: 1, text: 'every set' },
      { file: 'a.vue', line: 4, text: 'Image … again.' },
    ]);
  } finally {
    rmSync(folder, { recursive: true });
  }
});
