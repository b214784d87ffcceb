// The simulated phones' apps, judged by aapt and apksigner, and by what their own package manager says of them.
import { execFileSync } from 'node:child_process';
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { startKnot3, testFolder, until } from '../testing/bench.ts';
import { programBytes, programs, versionNameOf, type ProgramName } from './firmware/programs.ts';
import { memorySource } from '@keen-larder/core/bytes/source.ts';
import { openFileSystem } from '@keen-larder/core/formats/file-system/open.ts';
import type { FileSystem } from '@keen-larder/core/formats/file-system/reading.ts';
import { copyFlashes } from '../testing/flashes.ts';
import { markMounted, startSystem, userDataDevice } from './boot/start.ts';
import { Flash } from './flash/flash.ts';
import { models } from './models.ts';
import { recipes } from './scenario/phones.ts';
import { putTwoDozenApps } from './scenario/two-dozen.ts';
import { runScript } from './shell/language/run.ts';
import type { Phone } from './phone/phone.ts';
import type { ShellHost } from './shell/host.ts';

const folder = testFolder();
let bench: Awaited<ReturnType<typeof startKnot3>>;
let phone: Phone;
beforeAll(async () => {
  bench = await startKnot3(join(folder.path, 'phones'));
  phone = bench.phone;
  await until('the system', () => phone.state().mode === 'system');
});
afterAll(async () => {
  await bench.close();
  folder.remove();
});

describe('the programs of Saltmere', () => {
  const names = Object.keys(programs) as ProgramName[];
  it.each(names)('%s is what aapt reads', (name) => {
    const program = programs[name];
    const path = join(folder.path, `${name}.apk`);
    writeFileSync(path, programBytes({ program: name, versionCode: 41, seed: 5, bytes: 300_000 }));
    const told = execFileSync('aapt', ['dump', 'badging', path], { encoding: 'utf8' });
    expect(told).toContain(`package: name='${program.package}' versionCode='41' versionName='4.1'`);
    expect(told).toContain(`application-label:'${program.label}'`);
    for (const each of program.permissions)
      expect(told).toContain(`uses-permission: name='android.permission.${each}'`);
    for (const abi of program.abis) expect(told).toMatch(new RegExp(`^native-code:.*'${abi}'`, 'm'));
    expect(told.includes('native-code')).toBe(program.abis.length > 0);
  });

  it('are signed by their makers', { timeout: 120_000 }, () => {
    const signers = new Map<string, ProgramName>(names.map((name) => [programs[name].signer, name]));
    expect(signers.size).toBe(4);
    for (const [signer, name] of signers) {
      const told = execFileSync('apksigner', ['verify', '--print-certs', join(folder.path, `${name}.apk`)], {
        encoding: 'utf8',
      });
      expect(told).toContain(`CN=example ${signer}`);
    }
  });
});

describe('a running phone', () => {
  async function shell(script: string): Promise<{ code: number; text: string; err: string }> {
    const outcome = await startSystem(phone.flash, phone.model);
    if (!outcome.starts) throw new Error(outcome.reason);
    const host: ShellHost = {
      mode: 'system',
      properties: outcome.properties,
      rootDaemon: true,
      hasSu: true,
      flash: phone.flash,
      disk: 'mmcblk0',
      imei: undefined,
      mounts: outcome.mounts.map((mount) => ({ ...mount, device: `/dev/${mount.partition}` })),
      handed: new Map(),
      startedAt: Date.now(),
      isAgreedTo: () => Promise.resolve(false),
      battery: () => ({ percent: 50, charging: false }),
      reboot: () => undefined,
    };
    const out: Uint8Array[] = [];
    let err = '';
    const code = await runScript(script, host, {
      stdin: (async function* () {})(),
      out: (bytes) => Promise.resolve(void out.push(Buffer.from(bytes))),
      err: (text) => Promise.resolve(void (err += text)),
    });
    return { code, text: Buffer.concat(out).toString('latin1'), err };
  }

  it('lists what its system and its owner installed, each from its own APK', async () => {
    const { text } = await shell('pm list packages');
    expect(text.trim().split('\n')).toEqual(
      [
        ...['ferrytimes', 'hidebooker', 'marshlog', 'pocketalmanac', 'ringcode'],
        ...['tide.home', 'tide.settings', 'tidebook'],
      ].map((name) => `package:example.${name}`),
    );
    const dumped = (await shell('dumpsys package example.tidebook')).text;
    expect(dumped).toContain('userId=10061');
    expect(dumped).toContain(`versionCode=40 minSdk=24 targetSdk=28`);
    expect(dumped).toContain(`versionName=${versionNameOf(40)}`);
    expect(dumped).toContain('android.permission.CAMERA: granted=true');
    expect(dumped).toContain('android.permission.INTERNET: granted=true');
    expect((await shell('dumpsys package example.tide.home')).text).toContain(' SYSTEM ');
  });

  it('hands out a program whose bytes apksigner accepts', async () => {
    const path = (await shell('pm path example.ringcode')).text.trim().replace('package:', '');
    expect(path).toBe('/data/app/example.ringcode-1/base.apk');
    const { text } = await shell(`dd if=${path} bs=65536`);
    mkdirSync(join(folder.path, 'out'));
    writeFileSync(join(folder.path, 'out', 'ringcode.apk'), Buffer.from(text, 'latin1'));
    execFileSync('apksigner', ['verify', join(folder.path, 'out', 'ringcode.apk')]);
    expect((await shell('pm path example.nothing')).code).toBe(1);
  });

  it('tells what an app’s data takes, under both of its names', async () => {
    const sizes = await shell('du -s -k /data/data/example.tidebook /data/user/0/example.tidebook');
    const [a, b] = sizes.text
      .trim()
      .split('\n')
      .map((line) => Number(line.split('\t')[0]));
    expect(a).toBeGreaterThan(2048);
    expect(b).toBe(a);
    const { text } = await shell("stat -c '%u %g %a %C' /data/user/0/example.tidebook");
    expect(text.trim()).toBe('10061 10061 700 u:object_r:app_data_file:s0:c61,c256,c512,c768');
  });
});

describe('a phone that has been in use for long', () => {
  const other = recipes.find(({ model }) => model === 'knot5')!;
  const path = join(folder.path, 'used', `${other.serial}.flash`);
  const image = join(folder.path, 'used.img');
  let told: string;
  let fs: FileSystem;
  beforeAll(async () => {
    await copyFlashes(dirname(path), [other.serial]);
    const flash = await Flash.open(path, models.knot5.sectorBytes);
    try {
      const userData = await userDataDevice(flash, models.knot5);
      await putTwoDozenApps(userData);
      const before = await openFileSystem(userData);
      told = (await before.text('/system/packages.list')) ?? '';
      await putTwoDozenApps(userData);
      // As each start leaves another checkpoint.
      await markMounted(flash, models.knot5);
      writeFileSync(image, await userData.read(0, userData.bytes));
      fs = await openFileSystem(memorySource(readFileSync(image)));
    } finally {
      await flash.close();
    }
  });
  const from = async (file: string) => {
    const to = join(folder.path, file.replaceAll('/', '_'));
    const parts: Uint8Array[] = [];
    for await (const part of fs.content((await fs.find(file))!)) parts.push(Uint8Array.from(part));
    writeFileSync(to, Buffer.concat(parts));
    return to;
  };

  it('has two dozen apps on a file system that fsck.f2fs finds nothing on, however often', async () => {
    execFileSync('fsck.f2fs', ['--dry-run', '-f', image]);
    const lines = told.trim().split('\n');
    expect(lines.length).toBeGreaterThan(20);
    expect(readFileSync(await from('/system/packages.list'), 'utf8')).toBe(told);
    const ids = lines.map((line) => line.split(' ')[1]);
    // Two of one maker share theirs.
    expect(new Set(ids).size).toBe(lines.length - 1);
  });

  it('has splits that aapt knows for such, and no two icons alike', async () => {
    const badging = execFileSync(
      'aapt',
      ['dump', 'badging', await from('/app/example.saltpans-1/split_config.en.apk')],
      {
        encoding: 'utf8',
      },
    );
    expect(badging).toMatch(/^package: name='example\.saltpans' versionCode='31' .*split='config\.en'/m);
    const names = told
      .trim()
      .split('\n')
      .map((line) => line.split(' ')[0]!);
    const icons: string[] = [];
    for (const name of names) {
      const args = ['-p', await from(`/app/${name}-1/base.apk`), 'res/mipmap-xhdpi-v4/icon.png'];
      icons.push(execFileSync('unzip', args).toString('hex'));
    }
    expect(new Set(icons).size).toBe(names.length);
  });
});
