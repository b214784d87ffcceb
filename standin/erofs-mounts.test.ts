// A phone whose system is erofs, as its shell shows it; judged by Debian's erofs-utils.
import { execFileSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { testFolder } from '../testing/folder.ts';
import { composeFlash, logicalDevice } from './flash/compose.ts';
import { copySparse } from './flash/copy.ts';
import { Flash } from './flash/flash.ts';
import { models } from './models.ts';
import { Phone } from './phone/phone.ts';
import { fastTiming } from './phone/phone-state.ts';
import { runScript } from './shell/language/run.ts';
import type { ShellHost } from './shell/host.ts';

const folder = testFolder();
let flash: Flash;
let host: ShellHost;

beforeAll(async () => {
  const path = join(folder.path, 'phone.flash');
  await composeFlash(path, models.knot5, 'knot5-system');
  flash = await Flash.open(path, models.knot5.sectorBytes);
  const source = await logicalDevice(flash.partition('super')!, 'system_a');
  host = {
    ...{ mode: 'system', properties: {}, rootDaemon: true, hasSu: true, flash, disk: 'sda', imei: undefined },
    mounts: [{ device: '/dev/block/dm-0', at: '/system', writable: false, source: source! }],
    handed: new Map(),
    startedAt: 0,
    isAgreedTo: () => Promise.resolve(false),
    battery: () => ({ percent: 50, charging: false }),
    reboot: () => undefined,
  };
});
afterAll(async () => {
  await flash.close();
  folder.remove();
});

async function say(script: string): Promise<string> {
  let text = '';
  const code = await runScript(script, host, {
    stdin: (async function* () {})(),
    out: (bytes) => Promise.resolve(void (text += Buffer.from(bytes).toString('latin1'))),
    err: (words) => Promise.resolve(void (text += words)),
  });
  return `${text}${code === 0 ? '' : `ended with ${code}`}`;
}

describe('a system of erofs', () => {
  it('is what fsck.erofs finds sound, file by file', async () => {
    const image = join(folder.path, 'system.img');
    await copySparse(host.mounts[0]!.source, image);
    const out = join(folder.path, 'tree');
    execFileSync('fsck.erofs', [`--extract=${out}`, image], { stdio: 'ignore' });
    const paths = execFileSync('find', ['.', '-type', 'f'], { cwd: out, encoding: 'utf8' })
      .trim()
      .split('\n');
    expect(paths.length).toBeGreaterThan(10);
    for (const path of paths) {
      const [sum] = execFileSync('sha256sum', [path], { cwd: out, encoding: 'utf8' }).split(' ');
      expect(await say(`sha256sum '/system/${path.slice(2)}'`)).toContain(sum);
    }
  });

  it('shows as such among the mounts, is full, and is mounted as nothing else', async () => {
    expect(await say('cat /proc/mounts')).toContain('/dev/block/dm-0 /system erofs ro,');
    expect(await say('df -k /system')).toMatch(/98304 98304 0 100% \/system/);
    expect(await say('mount -t ext4 -o ro /dev/block/dm-0 /mnt')).toContain('Invalid argument');
    expect(await say('mount -t erofs -o ro /dev/block/dm-0 /mnt')).toBe('');
  });

  it('carries owners and labels as it was laid down', async () => {
    expect(await say("stat -c '%u %g %a %C' /system/build.prop")).toMatch(/^0 0 6[04]0 \S+\n$/);
  });
});

describe('a piece that was digested before', () => {
  const line = 'dd if=/dev/block/by-name/super bs=1048576 skip=3 count=2 2>/dev/null | sha256sum';
  const expected = async () =>
    createHash('sha256')
      .update(await flash.partition('super')!.read(3 << 20, 2 << 20))
      .digest('hex');

  it('is told again, and computed anew once anything was written or went wrong', async () => {
    const before = await say(line);
    expect(before).toBe(`${await expected()}  -\n`);
    expect(await say(line)).toBe(before);
    await flash.partition('super')!.write((3 << 20) + 7, Buffer.from('other'));
    const after = await say(line);
    expect(after).toBe(`${await expected()}  -\n`);
    expect(after).not.toBe(before);
  });
});

it('starts from it', async () => {
  const phone = new Phone({ serial: 'EROFS-1' }, models.knot5, flash, fastTiming, 90);
  await phone.listen(0);
  try {
    await phone.start('system');
    expect(phone.state()).toMatchObject({ mode: 'system' });
  } finally {
    await phone.close();
  }
});
