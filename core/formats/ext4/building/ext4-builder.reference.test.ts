// What the builder makes, judged by e2fsprogs: e2fsck finds nothing to mend, debugfs finds what was put in.
import { execFileSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { closeSync, openSync, readFileSync, truncateSync, writeFileSync, writeSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { testFolder } from '../../../../testing/folder.ts';
import { bytesOf, entry, file, label, madeAt } from '../../../../testing/new-files.ts';
import { memorySource } from '../../../bytes/source.ts';
import { BuildError } from '../../file-system/building.ts';
import { Ext4, Ext4Builder } from '../ext4.ts';

const folder = testFolder();
afterAll(folder.remove);
const run = (command: string, ...args: string[]) =>
  execFileSync(command, args, { encoding: 'utf8', maxBuffer: 1 << 26, stdio: ['ignore', 'pipe', 'pipe'] });
const debugfs = (image: string, request: string) => run('debugfs', '-R', request, image);

async function built(
  name: string,
  bytes: number,
  fill: (builder: Ext4Builder) => Promise<void>,
): Promise<string> {
  const path = join(folder.path, `${name}.img`);
  writeFileSync(path, '');
  truncateSync(path, bytes);
  const out = openSync(path, 'r+');
  const builder = new Ext4Builder(
    { bytes, volume: 'data', lastMounted: '/data', uuid: bytesOf(16, 7), madeAt },
    {
      write: (offset, part) => {
        expect(offset + part.length).toBeLessThanOrEqual(bytes);
        writeSync(out, part, 0, part.length, offset);
        return Promise.resolve();
      },
    },
  );
  await fill(builder);
  await builder.finish();
  closeSync(out);
  return path;
}

describe.each([
  ['a small one', 8 << 20],
  ['one of several groups', 700 << 20],
  ['one whose end makes no group', (256 << 20) + 12_345],
])('%s', (name, bytes) => {
  it('has nothing for e2fsck to mend, empty and with files', async () => {
    const empty = await built(`${name} empty`, bytes, () => Promise.resolve());
    expect(run('e2fsck', '-fn', empty)).toMatch(/11\/\d+ files/);
    const full = await built(name, bytes, async (builder) => {
      await builder.add(entry('/', 'directory', { permissions: 0o771, uid: 1000, gid: 1000 }));
      await builder.add(entry('/app', 'directory', { attributes: [label('u:object_r:apk_data_file:s0')] }));
      for (let i = 0; i < 300; i++)
        await builder.add(file(`/app/a rather long name of a file ${i}`, bytesOf(i, 3)));
      await builder.add(file('/app/large', bytesOf(3_000_001, 31)));
      await builder.add(entry('/app/short', 'link', { target: 'large', permissions: 0o777 }));
      await builder.add(entry('/app/long', 'link', { target: 'x/../'.repeat(30), permissions: 0o777 }));
      builder.link('/app/again', '/app/large');
    });
    expect(run('e2fsck', '-fn', full)).toMatch(/\d+\/\d+ files/);
  });
});

describe('what was put in', () => {
  const large = bytesOf(180 << 20, 13);
  let image: string;

  it('is found by debugfs with owners, modes, times, links and attributes', async () => {
    image = await built('facts', 512 << 20, async (builder) => {
      await builder.add(entry('/data', 'directory', { permissions: 0o771, uid: 1000, gid: 1000 }));
      await builder.add(
        file('/data/app.db', bytesOf(5000, 11), {
          permissions: 0o4660,
          uid: 10_061,
          gid: 70_061,
          modifiedAt: 5_000_000_000,
          attributes: [label('u:object_r:app_data_file:s0:c61,c256')],
        }),
      );
      // One that fills more than a group, and attributes too large for an inode.
      await builder.add(
        file('/data/large', large, {
          attributes: [
            { name: 'user.note', value: bytesOf(900, 5) },
            label('u:r:x:s0'),
            { name: 'user.a', value: bytesOf(7, 1) },
          ],
        }),
      );
      await builder.add(entry('/data/link', 'link', { target: '/data/app.db' }));
      builder.link('/data/hard', '/data/app.db');
    });
    expect(run('e2fsck', '-fn', image)).not.toMatch(/invalid|[Ff]ix/);
    const stat = debugfs(image, 'stat /data/app.db');
    expect(stat).toMatch(/Mode: {2}04660/);
    expect(stat).toMatch(/User: 10061 {3}Group: 70061/);
    expect(stat).toMatch(/Links: 2/);
    expect(stat).toMatch(/mtime: 0x2a05f200:[0-9a-f]{7}1/);
    expect(debugfs(image, 'ea_get /data/app.db security.selinux')).toMatch(/app_data_file:s0:c61,c256/);
    expect(debugfs(image, 'ea_list /data/large')).toMatch(/user\.note.*\(900\)/s);
    expect(debugfs(image, 'stat /data/link')).toMatch(/Fast link dest: "\/data\/app\.db"/);
    expect(run('dumpe2fs', '-h', image)).toMatch(
      /Filesystem volume name: +data[^]*Last mounted on: +\/data[^]*Filesystem state: +clean/,
    );
  });

  it('comes out again byte for byte, by debugfs and by our own reader', async () => {
    const out = join(folder.path, 'out');
    debugfs(image, `dump /data/large ${out}`);
    const sha256 = (bytes: Uint8Array) => createHash('sha256').update(bytes).digest('hex');
    expect(sha256(readFileSync(out))).toBe(sha256(large));
    const fs = await Ext4.open(memorySource(readFileSync(image)));
    const found = (await fs.find('/data/large'))!;
    expect(sha256(await fs.read(found, large.length))).toBe(sha256(large));
    expect((await fs.attributes(found)).map(({ name }) => name).sort()).toEqual([
      'security.selinux',
      'user.a',
      'user.note',
    ]);
  });
});

describe('what makes no sense', () => {
  const fails = (fill: (builder: Ext4Builder) => Promise<void>, bytes = 4 << 20) =>
    expect(built(`wrong ${Math.random()}`, bytes, fill)).rejects;

  it('is refused with words', async () => {
    await fails((builder) => builder.add(file('/nowhere/a', bytesOf(3, 1)))).toThrow(/lies in no directory/);
    await fails((builder) => builder.add(file('/..', bytesOf(3, 1)))).toThrow(/is not a name/);
    await fails(async (builder) => {
      await builder.add(file('/a', bytesOf(3, 1)));
      await builder.add(file('/a', bytesOf(3, 1)));
    }).toThrow(/is there twice/);
    await fails((builder) => builder.add(file('/a', bytesOf(3, 1), { bytes: 4 }))).toThrow(
      /ended after 3 of 4/,
    );
    await fails((builder) => builder.add(file('/a', bytesOf(5, 1), { bytes: 4 }))).toThrow(/more bytes/);
    await fails((builder) => builder.add(file('/a', bytesOf(5 << 20, 1)))).toThrow(/No space left/);
    await fails((builder) => Promise.resolve(builder.link('/b', '/a'))).toThrow(BuildError);
  });
});
