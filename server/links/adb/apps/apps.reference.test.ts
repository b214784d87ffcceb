// Apps as a simulated phone hands them out over adb; the signers against apksigner, the rest against aapt.
import { execFileSync } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { AppFacts } from '@keen-larder/core/apps/facts.ts';
import {
  isIn,
  serial,
  serveOn,
  startKnot3,
  testFolder,
  toRecovery,
  until,
} from '../../../../testing/bench.ts';
import type { AppView } from '@keen-larder/contract/copies.ts';
import type { Serving } from '../../../serve.ts';

const folder = testFolder();
let bench: Awaited<ReturnType<typeof startKnot3>>;
let serving: Serving;
const get = (path: string) => fetch(`${serving.url}/api/phones/${serial}${path}`);

beforeAll(async () => {
  bench = await startKnot3(join(folder.path, 'phones'));
  serving = await serveOn(join(folder.path, 'larder'), bench);
  await until('the system', isIn(serving.app, 'system'));
});
afterAll(async () => {
  await serving.close();
  await bench.close();
  folder.remove();
});

describe('the apps of a phone', () => {
  let apps: AppFacts[];
  const app = (name: string) => apps.find((each) => each.package === `example.${name}`)!;
  beforeAll(async () => {
    const views = (await (await get('/apps')).json()) as AppView[];
    apps = views.flatMap(({ installed }) => installed ?? []);
  });

  it('are listed with label, version, size, kind and state', () => {
    expect(apps.map(({ label }) => label).sort()).toEqual([
      ...['Ferry Times', 'Hide Booker', 'Marshlog', 'Pocket Almanac'],
      ...['Ringcode', 'Settings', 'Tide Home', 'Tidebook'],
    ]);
    expect(app('tidebook')).toMatchObject({
      uid: 10_061,
      versionCode: 40,
      versionName: '4.0',
      isBuiltIn: false,
      isEnabled: true,
      abis: ['arm64-v8a', 'armeabi-v7a'],
      installer: 'example.shop',
      hasIcon: true,
      duties: ['launcher'],
    });
    expect(app('tidebook').dataBytes).toBeGreaterThan(2 << 20);
    expect(app('tide.home')).toMatchObject({ isBuiltIn: true, isRunning: true, duties: ['home'] });
    expect(app('tide.settings').sharedUserId).toBe('android.uid.system');
    expect(app('tidebook').permissions).toEqual([
      { name: 'android.permission.ACCESS_FINE_LOCATION', granted: true },
      { name: 'android.permission.CAMERA', granted: true },
      { name: 'android.permission.INTERNET', granted: true },
    ]);
    expect(app('ringcode').permissions).toContainEqual({
      name: 'android.permission.READ_EXTERNAL_STORAGE',
      granted: false,
    });
  });

  it('are what aapt and apksigner find in the very program', async () => {
    const { paths, programBytes, certificates, versionCode, label } = app('ringcode');
    const path = join(folder.path, 'ringcode.apk');
    const parts: Uint8Array[] = [];
    const files = serving.app.bench.link(serial).files!;
    for await (const part of files.archive(paths[0]!.slice(0, paths[0]!.lastIndexOf('/')), []))
      parts.push(part.slice());
    writeFileSync(`${path}.tar`, Buffer.concat(parts));
    writeFileSync(path, execFileSync('tar', ['-xOf', `${path}.tar`, './base.apk'], { maxBuffer: 1 << 26 }));
    expect(execFileSync('stat', ['-c', '%s', path], { encoding: 'utf8' }).trim()).toBe(String(programBytes));
    const told = execFileSync('aapt', ['dump', 'badging', path], { encoding: 'utf8' });
    expect(told).toContain(`versionCode='${versionCode}'`);
    expect(told).toContain(`application-label:'${label}'`);
    const signed = execFileSync('apksigner', ['verify', '--print-certs', path], { encoding: 'utf8' });
    expect(signed).toContain(`certificate SHA-256 digest: ${certificates[0]}`);
  });

  it('have pictures, but for what is none', async () => {
    const icon = await get(`/apps/icon?path=${encodeURIComponent(app('tidebook').paths[0]!)}`);
    expect(icon.headers.get('content-type')).toBe('image/png');
    expect(
      Buffer.from(await icon.arrayBuffer())
        .subarray(1, 4)
        .toString(),
    ).toBe('PNG');
    for (const path of ['', 'base.apk', '/data/system/packages.xml', '/a\0.apk']) {
      expect((await get(`/apps/icon?path=${encodeURIComponent(path)}`)).status, path).toBe(400);
    }
    expect((await get('/apps/icon?path=%2Fdata%2Fapp%2Fnothing.apk')).status).toBe(404);
  });

  it('cannot be asked about in recovery', async () => {
    await toRecovery(serving.app, bench.phone);
    // What the larder has of them is told all the same: here nothing.
    expect(await (await get('/apps')).json()).toEqual([]);
    const answer = await get(`/apps/icon?path=${encodeURIComponent(app('tidebook').paths[0]!)}`);
    expect(answer.status).toBe(409);
    expect(((await answer.json()) as { detail: string }).detail).toMatch(/Restart into system/);
  });
});
