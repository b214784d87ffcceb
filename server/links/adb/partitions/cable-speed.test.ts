// How fast a cable is taken for, where a phone takes much into its memory before it has written it.
import { setTimeout as pause } from 'node:timers/promises';
import { expect, it } from 'vitest';
import type { AdbShell } from '../shell.ts';
import { AdbCable } from './cable.ts';

const MiB = 1 << 20;
const bytesPerMs = 100e3;

/** Takes everything at once, and writes one after the other what it took. */
function slowShell() {
  let written = Promise.resolve();
  const feed = async (_script: string, bytes: AsyncIterable<Uint8Array>) => {
    let taken = 0;
    for await (const part of bytes) taken += part.length;
    written = written.then(() => pause(taken / bytesPerMs));
    await written;
  };
  return { feed } as Partial<AdbShell> as AdbShell;
}

async function* stretch(taken: () => void): AsyncGenerator<Uint8Array> {
  for (let left = 16; left > 0; left--) yield await Promise.resolve(Buffer.alloc(MiB, left));
  taken();
}

it('is measured to when a stretch is written, from when the one before was', async () => {
  const cable = new AdbCable(slowShell());
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
