import { closeSync, openSync, writeSync } from 'node:fs';
import { open } from 'node:fs/promises';
import { describe, expect, it } from 'vitest';
import { UnsafeEntry } from '@keen-larder/core/apps/entries.ts';
import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import {
  asOnePart,
  BucketFailure,
  Cancelled,
  DamagedImage,
  failureTable,
  FlashFailure,
  Interruption,
  LinkFailure,
  NobodyThere,
  PartFailure,
  PhoneRefusal,
  PhoneSilent,
  plainWords,
  Problem,
  RunFailure,
  SealFailure,
  ShelfFailure,
  traitsOf,
} from './failures.ts';

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

describe('the table of failures', () => {
  const full = Object.assign(new Error('write'), { code: 'ENOSPC' });
  /** Of each row an error, whether trying again changes nothing, whether it is one part's, whether the phone is waited for. */
  const rows: readonly [string, Error, boolean, boolean, boolean, number][] = [
    ['Problem', new Problem(404, 'x'), true, false, false, 404],
    ['Cancelled', new Cancelled(), true, false, false, 409],
    ['Interruption', new Interruption('x'), false, false, false, 409],
    ['RunFailure', new RunFailure('x'), true, false, false, 409],
    ['PartFailure', new PartFailure('x'), true, true, false, 409],
    ['PhoneSilent', new PhoneSilent(1000), false, false, true, 502],
    ['NobodyThere', new NobodyThere('x'), false, false, true, 502],
    ['LinkFailure', new LinkFailure('x'), false, false, true, 502],
    ['PhoneRefusal', new PhoneRefusal('x'), true, true, false, 502],
    ['FlashFailure', new FlashFailure('x'), true, true, false, 502],
    ['DamagedImage', new DamagedImage('x'), true, true, false, 422],
    ['ShelfFailure', new ShelfFailure('x'), false, false, false, 503],
    ['BucketFailure', new BucketFailure('x'), false, false, false, 502],
    ['SealFailure', new SealFailure('cut', 'x'), true, false, false, 422],
    ['FormatError', new FormatError('tar', 'header', 0, 'x'), true, true, false, 422],
    ['UnsafeEntry', new UnsafeEntry('x'), true, true, false, 422],
    ['full disk', full, false, false, false, 507],
  ];

  it.each(rows)('says what follows from a %s', (_, error, isFinal, isOfOnePart, isWaitedFor, status) => {
    expect(traitsOf(error)).toMatchObject({ isFinal, isOfOnePart, isWaitedFor, status });
  });

  it('has a row for each of these, and no other', () => {
    expect(failureTable.map(({ name }) => name)).toEqual(rows.map(([name]) => name));
    for (const [name, error] of rows) expect(failureTable.find((row) => row.is(error))?.name).toBe(name);
  });

  it('is titled by what happened: a run that cannot start, where checks stand in its way', () => {
    const check = { id: 'battery', severity: 'stop', title: 'Low', sentence: 'Charge it.' } as const;
    const titleOf = (problem: Problem) => problem.toJSON().title;
    expect(titleOf(new Problem(422, 'x', [check]))).toBe('The run cannot start');
    expect(titleOf(new Problem(422, 'x'))).toBe('Not possible like this');
    const { status, title } = traitsOf(new FormatError('tar', 'header', 0, 'x'));
    expect(titleOf(new Problem(status, 'x', undefined, title))).toBe('It cannot be read');
    expect(traitsOf(new BucketFailure('x')).title).toBe('The copy did not do it');
  });

  it('ends what an unforeseen error happened in, and keeps its stack', () => {
    expect(traitsOf(new TypeError('x'))).toMatchObject({ isFinal: true, isExpected: false, status: 500 });
  });

  it('makes one part’s failure of what is one part’s alone', async () => {
    const failing = (error: Error) =>
      asOnePart(
        () => Promise.reject(error),
        ({ message }) => `${message}!`,
      );
    await expect(failing(new PhoneRefusal('no'))).rejects.toEqual(new PartFailure('no!'));
    await expect(failing(new LinkFailure('gone'))).rejects.toBeInstanceOf(LinkFailure);
    await expect(failing(new PartFailure('said'))).rejects.toEqual(new PartFailure('said'));
  });
});
