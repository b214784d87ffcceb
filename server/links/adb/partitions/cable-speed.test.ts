// How fast a cable is taken for, where a phone takes much into its memory before it has written it.
import { setImmediate as aTurn } from 'node:timers/promises';
import { gzipSync } from 'node:zlib';
import { afterEach, beforeEach, expect, it, vi } from 'vitest';
import type { AdbShell } from '../shell.ts';
import { AdbCable } from './cable.ts';

const MiB = 1 << 20;
const bytesPerMs = 100e3;

/** The clock by which the cable is measured: a busy machine lets the real one run on. */
let now = 0;
beforeEach(() => void vi.spyOn(performance, 'now').mockImplementation(() => now));
afterEach(() => void vi.restoreAllMocks());

/** Takes everything at once, and writes one after the other what it took. It packs. */
function slowShell() {
  let written = Promise.resolve();
  const underWay: string[] = [];
  const met: string[] = [];
  const feed = async (script: string, bytes: AsyncIterable<Uint8Array>) => {
    const way = script.includes('gzip') ? 'packed' : 'plain';
    met.push(...underWay.filter((other) => other !== way));
    underWay.push(way);
    let taken = 0;
    for await (const part of bytes) taken += part.length;
    written = written.then(async () => {
      await aTurn();
      now += taken / bytesPerMs;
    });
    await written;
    underWay.splice(underWay.indexOf(way), 1);
  };
  const shell: Partial<AdbShell> = {
    feed,
    rooted: (script) => script,
    run: () => Promise.resolve({ exitCode: 0, stdout: 'larder\n', stderr: '' }),
    bytes: () => Promise.resolve(gzipSync('larder\n')),
  };
  return { shell: shell as AdbShell, met };
}

async function* stretch(taken: () => void): AsyncGenerator<Uint8Array> {
  for (let left = 16; left > 0; left--) yield await Promise.resolve(Buffer.alloc(MiB, left));
  taken();
}

it('is measured to when a stretch is written, from when the one before was', async () => {
  const cable = new AdbCable(slowShell().shell);
  const { signal } = new AbortController();
  await cable.begin(32 * MiB);
  for (const times of [1, 2]) {
    const writing: Promise<void>[] = [];
    for (let i = 0; i < times; i++)
      await new Promise<void>((taken) =>
        writing.push(cable.feed('/dev/node', i * 16 * MiB, stretch(taken), signal)),
      );
    await Promise.all(writing);
    expect(cable.writeSpeed).toBeGreaterThan((bytesPerMs * 1000) / 2);
    expect(cable.writeSpeed).toBeLessThan(bytesPerMs * 1000 * 1.1);
  }
  expect(cable.takeCrossed()).toMatchObject({ bytes: 48 * MiB, packedBy: undefined });
});

it('does not measure two ways together', async () => {
  const { shell, met } = slowShell();
  const cable = new AdbCable(shell);
  const { signal } = new AbortController();
  await cable.begin(200 * MiB);
  const writing: Promise<void>[] = [];
  for (let i = 0; i < 6; i++)
    await new Promise<void>((taken) =>
      writing.push(cable.feed('/dev/node', i * 16 * MiB, stretch(taken), signal)),
    );
  await Promise.all(writing);
  expect(cable.takeCrossed().packedBy).toBe('gzip');
  expect(met).toEqual([]);
});

it('does not try to pack what is written over a cable that reads faster than anything packs', async () => {
  const cable = new AdbCable(slowShell().shell);
  cable.recall({ read: { plain: 200e6 }, write: {} });
  await cable.begin(200 * MiB);
  await cable.feed(
    '/dev/node',
    0,
    stretch(() => undefined),
    new AbortController().signal,
  );
  expect(cable.stretchBytes).toBe(Infinity);
  expect(cable.takeCrossed().packedBy).toBeUndefined();
});
