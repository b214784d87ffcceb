// The words that are said to phones, judged by tools that nobody here wrote: mksh with toybox, and busybox, on loop devices
// with real file systems. Source of the tools: Debian's packages mksh, busybox and toybox (its source, built with `dd`).
import { createHash } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { filler } from '../../standin/firmware/filler.ts';
import { keepSet, openOn, putting, testFolder, until } from '../../testing/bench.ts';
import { UserlandPhone, whyNotHere, type Personality } from '../../testing/userland/userland-phone.ts';
import { startRestoring } from '../runs/restoring/restoring.ts';

const missing = whyNotHere();
if (missing) process.stderr.write(`No phone's own tools are tried: ${missing}.\n`);

const folder = testFolder();
afterAll(() => folder.remove());

const serial = 'UL-40117';
const properties = {
  'ro.serialno': serial,
  'ro.product.manufacturer': 'Tidewell',
  'ro.product.model': 'Knot 3',
  'ro.product.cpu.abilist': 'arm64-v8a,armeabi-v7a',
};
const partitions = [
  { name: 'boot', bytes: filler('program', 11, 16 << 20) },
  { name: 'logo', bytes: filler('program', 12, 8 << 20) },
  { name: 'misc', bytes: new Uint8Array(1 << 20) },
  { name: 'frp', bytes: filler('program', 13, 512 << 10) },
];
const sha256 = (bytes: Uint8Array) => createHash('sha256').update(bytes).digest('hex');

const personalities: readonly [string, Personality][] = [
  ['recovery with toybox', { mode: 'recovery', tools: 'toybox', root: 'daemon' }],
  ['recovery with busybox', { mode: 'recovery', tools: 'busybox', root: 'daemon' }],
];

describe.skipIf(missing !== undefined).each(personalities)('%s', (name, personality) => {
  it('lists partitions, keeps them proved, and takes them back', async () => {
    const phone = await UserlandPhone.start(
      join(folder.path, name.replaceAll(' ', '-')),
      personality,
      properties,
      partitions,
    );
    const app = await openOn(join(folder.path, `home ${name}`), undefined, { addresses: [phone.address] });
    try {
      await until('the phone', () => app.bench.linkIn(serial) !== undefined);
      const found = await app.bench.partitions(serial);
      expect(found.map(({ name: own, bytes }) => [own, bytes])).toEqual(
        [...partitions]
          .sort((a, b) => (a.name < b.name ? -1 : 1))
          .map((each) => [each.name, each.bytes.length]),
      );
      const set = await keepSet(app, 'kept', ['boot', 'frp'], { phone: serial });
      const { images } = app.larder.detail(set);
      expect(Object.fromEntries(images.map(({ partition, sha256: digest }) => [partition, digest]))).toEqual({
        boot: sha256(partitions[0]!.bytes),
        frp: sha256(partitions[3]!.bytes),
      });
      phone.shell('dd if=/dev/zero of=/dev/block/by-name/boot bs=4096 count=10 seek=3 conv=notrunc; sync');
      const start = putting(set, ['boot'], { restartAfter: false, confirmed: ['battery'] }, serial);
      const run = await app.engine.ended((await startRestoring(app, serial, start)).id);
      expect(run.state, run.outcome).toBe('done');
      expect(sha256(readFileSync(phone.fileOf('boot')))).toBe(sha256(partitions[0]!.bytes));
    } finally {
      await app.close();
      await phone.close();
    }
  });
});
