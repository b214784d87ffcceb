// Debian's adb client reads from the simulated phone; what it gets is what the application exports.
import { execFile } from 'node:child_process';
import { promisify } from 'node:util';
import { createHash } from 'node:crypto';
import { createServer } from 'node:net';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { openOn, serial, startKnot3, testFolder, toRecovery, until } from '../testing/bench.ts';
import { startImaging } from '../server/runs/imaging/imaging.ts';
import { readImage } from '../server/shelf/image-reader.ts';

const folder = testFolder();
let bench: Awaited<ReturnType<typeof startKnot3>>;
let port: number;

beforeAll(async () => {
  bench = await startKnot3(join(folder.path, 'phones'));
  await until('the system', () => bench.phone.state().mode === 'system');
  port = await freePort();
  await until('the client to connect', async () =>
    /connected to/.test(await adb('connect', bench.phone.state().adb)),
  );
});
afterAll(async () => {
  await adb('kill-server');
  await bench.close();
  folder.remove();
});

function freePort(): Promise<number> {
  return new Promise((resolve) => {
    const probe = createServer().listen(0, '127.0.0.1', () => {
      const address = probe.address();
      probe.close(() => resolve(typeof address === 'object' && address ? address.port : 0));
    });
  });
}

const run = promisify(execFile);
// The phone answers from this very process, so the client must never be waited for synchronously.
const options = () => ({
  env: { ...process.env, ANDROID_ADB_SERVER_PORT: String(port), HOME: folder.path },
  maxBuffer: 1 << 28,
  timeout: 60_000,
});
const adb = async (...args: string[]) => (await run('adb', args, { ...options(), encoding: 'utf8' })).stdout;
const onPhone = (...args: string[]) => adb('-s', bench.phone.state().adb, ...args);
async function exitOf(...args: string[]): Promise<{ code: number; stderr: string }> {
  try {
    await onPhone(...args);
    return { code: 0, stderr: '' };
  } catch (error) {
    return error as { code: number; stderr: string };
  }
}

describe('the simulated phone for Debian’s adb client', () => {
  it('answers as a phone in system mode', async () => {
    expect(await adb('devices')).toMatch(`${bench.phone.state().adb}\tdevice`);
    expect((await onPhone('shell', 'getprop', 'ro.serialno')).trim()).toBe(serial);
    expect(await onPhone('shell', 'id')).toMatch(/^uid=2000\(shell\)/);
    expect((await onPhone('shell', "su -c 'id -u'")).trim()).toBe('0');
    expect(await onPhone('shell', 'dumpsys', 'battery')).toMatch(/level: 82/);
    expect(await onPhone('shell', 'cat', '/system/build.prop')).toMatch(/ro.build.version.release=9/);
  });

  it('ends commands as a phone does', async () => {
    expect(await exitOf('shell', 'no-such-command')).toMatchObject({
      code: 127,
      stderr: expect.stringMatching(/not found/) as string,
    });
    expect(await exitOf('shell', 'dd', 'if=/dev/block/by-name/boot')).toMatchObject({
      code: 1,
      stderr: expect.stringMatching(/Permission denied/) as string,
    });
    expect((await exitOf('shell', 'false || true')).code).toBe(0);
    expect((await exitOf('shell', 'true && false')).code).toBe(1);
  });

  it('hands out the bytes that the application exports, byte for byte', async () => {
    const theirs = new Map<string, Buffer>();
    for (const name of ['boot', 'efs', 'modem']) {
      const script = `su -c 'dd if=/dev/block/by-name/${name} bs=65536 2>/dev/null'`;
      const args = ['-s', bench.phone.state().adb, 'exec-out', script];
      theirs.set(name, (await run('adb', args, { ...options(), encoding: 'buffer' })).stdout);
    }
    const app = await openOn(join(folder.path, 'larder'), bench);
    try {
      await toRecovery(app, bench.phone);
      const { id } = await startImaging(app, serial, {
        picked: [...theirs.keys()],
        label: 'x',
        confirmed: ['identity-left-out'],
      });
      const { setId } = await app.engine.ended(id);
      for (const [name, bytes] of theirs) {
        const image = app.larder.image(setId!, name);
        expect(createHash('sha256').update(bytes).digest().equals(image.sha256)).toBe(true);
        const parts: Uint8Array[] = [];
        for await (const part of readImage(app.larder.shelf, image)) parts.push(part);
        expect(Buffer.concat(parts).equals(bytes)).toBe(true);
      }
    } finally {
      await app.close();
    }
  });
});
