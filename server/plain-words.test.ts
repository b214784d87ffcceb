import { closeSync, openSync, writeSync } from 'node:fs';
import { open } from 'node:fs/promises';
import { expect, it } from 'vitest';
import { plainWords } from './plain-words.ts';

const caught = (work: () => unknown): unknown => {
  try {
    work();
  } catch (error) {
    return error;
  }
  throw new Error('nothing was thrown');
};

it('says that a disk is full as Linux’s own full device says it', () => {
  const full = openSync('/dev/full', 'w');
  expect(plainWords(caught(() => writeSync(full, 'x')))).toBe(
    'The disk is full. Free some space, then start again.',
  );
  closeSync(full);
});

it('names the path of what may not be written', async () => {
  const error = await open('/proc/version', 'wx').catch((failure: unknown) => failure);
  expect((error as NodeJS.ErrnoException).code).toMatch(/EEXIST|EACCES/);
  const refused = Object.assign(new Error('EACCES: permission denied'), { code: 'EACCES', path: '/x/y' });
  expect(plainWords(refused)).toMatch(/may not write there\..*\(\/x\/y\)$/);
});

it('leaves every other error its own words', () => {
  expect(plainWords(new Error('Check the cable.'))).toBe('Check the cable.');
  expect(plainWords(Object.assign(new Error('odd'), { code: 'EODD' }))).toBe('odd');
  expect(plainWords('text')).toBe('text');
});
