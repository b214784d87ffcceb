import { createHash, randomBytes } from 'node:crypto';
import { truncateSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterEach, beforeEach, expect, it } from 'vitest';
import { firstUsableLba, writeGpt } from '@keen-larder/core/formats/gpt/gpt.ts';
import { testFolder } from '../../testing/folder.ts';
import { contentDigest, deviceDigest } from './content-digests.ts';
import { Flash } from './flash.ts';
import { Recognition } from './recognition.ts';

const MiB = 1 << 20;
const sectorBytes = 512;
let folder: ReturnType<typeof testFolder>;
let flash: Flash;

beforeEach(async () => {
  folder = testFolder();
  const path = join(folder.path, 'flash');
  writeFileSync(path, '');
  truncateSync(path, 8 * MiB);
  const firstLba = Math.max(firstUsableLba(sectorBytes), MiB / sectorBytes);
  const table = writeGpt({
    ...{ sectorBytes, diskBytes: 8 * MiB, diskGuid: '00000000-0000-4000-8000-000000000001' },
    partitions: [
      {
        ...{ name: 'userdata', typeGuid: '0FC63DAF-8483-4772-8E79-3D69D8477DE4' },
        ...{ uniqueGuid: '00000000-0000-4000-8000-000000000002', firstLba, lastLba: firstLba + 9215 },
      },
    ],
  });
  const bytes = Buffer.alloc(8 * MiB);
  for (const piece of table) bytes.set(piece.bytes, piece.offset);
  writeFileSync(path, bytes);
  flash = await Flash.open(path);
});
afterEach(async () => {
  await flash.close();
  folder.remove();
});

const sha256 = (bytes: Uint8Array) => createHash('sha256').update(bytes).digest('hex');
const userData = () => flash.partition('userdata')!;

it('digests a stretch of a device as it is, again after each write, and after one of the same bytes', async () => {
  const device = userData();
  const bytes = randomBytes(device.bytes);
  await device.write(0, bytes);
  const of = (offset: number, length: number) => deviceDigest(device, { offset, bytes: length }, 'sha256');
  const whole = () => of(0, device.bytes);
  expect(device.bytes).toBe(4.5 * MiB);
  expect(await whole()).toBe(sha256(bytes));
  // Across two mebibytes, in the last half of one, and back.
  for (const [at, byte] of [
    [MiB - 1, 7],
    [device.bytes - 1, 8],
  ] as const) {
    const before = bytes.subarray(at, at + 2);
    const other = Buffer.from(before.map((each) => each ^ byte));
    await device.write(at, other);
    const changed = Buffer.from(bytes);
    changed.set(other, at);
    expect(await whole()).toBe(sha256(changed));
    expect(await of(0, MiB)).toBe(sha256(changed.subarray(0, MiB)));
    expect(await of(4 * MiB, device.bytes - 4 * MiB)).toBe(sha256(changed.subarray(4 * MiB)));
    await device.write(at, before);
    expect(await whole()).toBe(sha256(bytes));
  }
  expect(await of(512, 700)).toBe(sha256(bytes.subarray(512, 1212)));
});

it('recognises what comes in parts of any size by the same as what lies on a device', async () => {
  const device = userData();
  const bytes = randomBytes(device.bytes);
  await device.write(0, bytes);
  const key = await device.recognise!(0, device.bytes);
  for (const size of [1000, 65_536, MiB, 3 * MiB]) {
    const recognition = new Recognition();
    for (let at = 0; at < bytes.length; at += size) recognition.update(bytes.subarray(at, at + size));
    expect([size, recognition.digest()]).toEqual([size, key]);
  }
  expect(await contentDigest(() => [bytes], 'md5')).toBe(createHash('md5').update(bytes).digest('hex'));
  expect(await device.recognise!(512, MiB)).toBeUndefined();
});

it('recognises nothing on a flash with faults, of which each reading may differ', async () => {
  const device = userData();
  expect(await device.recognise!(0, MiB)).toBeDefined();
  flash.faults.set('worn', [{ offset: 2 * MiB, bytes: 4096 }]);
  expect(await device.recognise!(0, MiB)).toBeUndefined();
});
