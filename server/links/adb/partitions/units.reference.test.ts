// A phone whose flash has several units, as UFS has, each with a table of its own. Source of the tables: sgdisk of Debian's package
// gdisk, on loop devices with sectors of 4096 bytes; of the phone's tools: toybox and busybox.
import { execFileSync } from 'node:child_process';
import { createCipheriv, createHash } from 'node:crypto';
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, expect, it } from 'vitest';
import { openOn, testFolder, until } from '../../../../testing/bench.ts';
import { isLong } from '../../../../testing/effort.ts';
import { UserlandPhone, whyNotHere } from '../../../../testing/userland/userland-phone.ts';
import { startImaging } from '../../../runs/imaging/imaging.ts';

const serial = 'UL-40118';
const folder = testFolder();
afterAll(() => folder.remove());

const sectorBytes = 4096;
const unitBytes = 48 << 20;
const units: Readonly<Record<string, readonly (readonly [name: string, mebibytes: number])[]>> = {
  sda: [
    ['persist', 8],
    ['logo', 20],
  ],
  sdb: [['xbl', 4]],
  sdc: [['modemst1', 2]],
};
const sha256 = (bytes: Uint8Array) => createHash('sha256').update(bytes).digest('hex');

/** Bytes that look like nothing. */
const noise = (seed: string) =>
  createCipheriv('aes-128-ctr', createHash('md5').update(seed).digest(), Buffer.alloc(16)).update(
    Buffer.alloc(unitBytes),
  );

/** A unit with a table that sgdisk made, and where its partitions lie. */
function layUnit(path: string, partitions: readonly (readonly [string, number])[]) {
  writeFileSync(path, noise(path));
  const size = ['--sector-size', String(sectorBytes)];
  const loop = execFileSync('losetup', ['--find', '--show', ...size, path], { encoding: 'utf8' }).trim();
  try {
    const made = partitions.flatMap(([name, mebibytes], i) => [
      ...['-n', `${i + 1}:0:+${mebibytes}M`],
      ...['-c', `${i + 1}:${name}`],
    ]);
    execFileSync('sgdisk', ['-o', ...made, loop], { stdio: 'pipe' });
    return partitions.map(([name, mebibytes], i) => {
      const told = execFileSync('sgdisk', ['-i', String(i + 1), loop], { encoding: 'utf8' });
      const sector = Number(/First sector: (\d+)/.exec(told)![1]);
      return { name, path, offset: sector * sectorBytes, length: mebibytes << 20 };
    });
  } finally {
    execFileSync('losetup', ['-d', loop]);
  }
}

// Busybox with `npm run kills`.
it.skipIf(whyNotHere() !== undefined).each(isLong ? (['toybox', 'busybox'] as const) : (['toybox'] as const))(
  'each unit’s table is listed and kept, and no whole unit is offered, with %s',
  async (tools) => {
    const own = join(folder.path, tools);
    mkdirSync(own);
    const disks = Object.keys(units).map((disk) => ({ disk, path: join(own, `${disk}.img`) }));
    const laid = disks.flatMap(({ disk, path }) =>
      layUnit(path, units[disk]!).map((each, i) => ({ ...each, node: `${disk}${i + 1}` })),
    );
    const phone = await UserlandPhone.start(
      own,
      { mode: 'recovery', tools, root: 'daemon' },
      { 'ro.serialno': serial },
      [
        ...laid.map(({ name, node, ...bytes }) => ({ name, node, bytes })),
        ...disks.map(({ disk, path }) => ({
          ...{ name: '', node: disk, sectorBytes },
          bytes: { path, offset: 0, length: unitBytes },
        })),
      ],
    );
    const app = await openOn(join(own, 'home'), undefined, { addresses: [phone.address] });
    try {
      await until('the phone', () => app.bench.linkIn(serial) !== undefined);
      const found = await app.bench.partitions(serial);
      const tables = Object.keys(units).flatMap((disk) => [`gpt-backup-${disk}`, `gpt-primary-${disk}`]);
      expect(found.map(({ name }) => name).sort()).toEqual(
        [...laid.map(({ name }) => name), ...tables].sort(),
      );
      const picked = ['logo', 'xbl', ...tables];
      const confirmed = ['identity-left-out', 'battery'];
      const run = await app.engine.ended(
        (await startImaging(app, serial, { picked, label: 'of several units', confirmed })).id,
      );
      expect(run.state, run.outcome).toBe('done');
      const images = new Map(app.larder.detail(run.setId!).images.map((each) => [each.partition, each]));
      for (const { name, path, offset, length } of laid.filter((each) => picked.includes(each.name)))
        expect(images.get(name)!.sha256).toBe(sha256(readFileSync(path).subarray(offset, offset + length)));
      for (const { disk, path } of disks) {
        const whole = readFileSync(path);
        const [primary, backup] = [images.get(`gpt-primary-${disk}`)!, images.get(`gpt-backup-${disk}`)!];
        expect(primary.sha256).toBe(sha256(whole.subarray(0, primary.bytes)));
        expect(whole.subarray(sectorBytes, sectorBytes + 8).toString()).toBe('EFI PART');
        expect(backup.sha256).toBe(sha256(whole.subarray(unitBytes - backup.bytes)));
      }
    } finally {
      await app.close();
      await phone.close();
    }
  },
);
