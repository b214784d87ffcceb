// Letting computers in, and phones behind an adb server: with Debian's adb client and server.
import { execFile } from 'node:child_process';
import { mkdirSync, readFileSync, statSync } from 'node:fs';
import { createServer } from 'node:net';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { ConnectionView } from '@keen-larder/contract/connections.ts';
import { parseAdbPublicKey } from '@keen-larder/core/protocols/adb/auth.ts';
import { quickWithOwnKey as quick, serial, startKnot3, testFolder, until } from '../../testing/bench.ts';
import { openKeenLarder, type KeenLarder } from '../keen-larder.ts';
import { adbKeyOf } from '../links/adb/key.ts';
import { parseDevices } from '../links/adb/server.ts';
import { wholeOf } from '../shelf/image-writer.ts';
import { startImaging } from '../runs/imaging/imaging.ts';

const folder = testFolder();
let bench: Awaited<ReturnType<typeof startKnot3>>;
let port: number;

const run = promisify(execFile);
// The phone answers from this very process, so the client must never be waited for synchronously.
const adb = async (...args: string[]) => {
  const env = { ...process.env, ANDROID_ADB_SERVER_PORT: String(port), HOME: folder.path };
  const { stdout } = await run('adb', args, { env, maxBuffer: 1 << 28, timeout: 60_000, encoding: 'utf8' });
  return stdout;
};

beforeAll(async () => {
  bench = await startKnot3(join(folder.path, 'phones'));
  bench.phone.trusting = false;
  await until('the system', () => bench.phone.state().phase === 'running');
  port = await new Promise<number>((resolve) => {
    const probe = createServer().listen(0, '127.0.0.1', () => {
      const address = probe.address();
      probe.close(() => resolve(typeof address === 'object' && address ? address.port : 0));
    });
  });
});
afterAll(async () => {
  await adb('kill-server').catch(() => undefined);
  await bench.close();
  folder.remove();
});

const isHere = (app: KeenLarder) => () => app.bench.list().some(({ presence }) => presence === 'here');
const connection = (app: KeenLarder, address: string): ConnectionView | undefined =>
  app.bench.ways.view().connections.find((each) => each.address === address);

describe('a phone that does not know this computer', () => {
  it('is told as such until somebody taps Allow, and then lets it in for good', async () => {
    const home = join(folder.path, 'larder');
    const address = bench.phone.state().adb;
    let app = await openKeenLarder({ ...quick, home, addresses: [] });
    try {
      for (const odd of ['nonsense', 'localhost:99999', 'localhost:0', '-x:1', ':5555'])
        expect(() => app.bench.ways.add(odd)).toThrow(/HOST:PORT/);
      app.bench.ways.add(address);
      expect(() => app.bench.ways.add(address)).toThrow(/followed already/);
      await until(
        'the question',
        () => connection(app, address)?.state === 'asks' && bench.phone.state().asking !== undefined,
      );
      const { asking } = bench.phone.state();
      expect(asking?.fingerprint).toBe(app.bench.ways.view().fingerprint);
      expect(app.bench.list()).toEqual([]);
      await bench.phone.answerAsking(true);
      await until('the phone', isHere(app));
      expect(connection(app, address)).toMatchObject({ state: 'connected', origin: 'added', serial });
    } finally {
      await app.close();
    }
    expect(statSync(join(home, 'adb-key.pem')).mode & 0o777).toBe(0o600);

    // The address is remembered, and the key is in the phone's flash: it does not ask again.
    await bench.phone.start('system');
    app = await openKeenLarder({ ...quick, home, addresses: [] });
    try {
      await until('the phone', isHere(app));
      expect(bench.phone.state().asking).toBeUndefined();
      app.bench.ways.remove(address);
      await until('its going', () => !isHere(app)());
      expect(() => app.bench.ways.remove(address)).toThrow(/was not added here/);
    } finally {
      await app.close();
    }
  });

  it('asks Debian’s client as well, whose key it shows', async () => {
    const address = bench.phone.state().adb;
    await adb('connect', address).catch(() => undefined);
    await until('the question', () => bench.phone.state().asking !== undefined);
    expect(await adb('devices')).toMatch(`${address}\tunauthorized`);
    const line = readFileSync(join(folder.path, '.android', 'adbkey.pub'), 'utf8');
    expect(bench.phone.state().asking).toMatchObject({
      fingerprint: parseAdbPublicKey(line).fingerprint,
      name: line.trim().split(' ').slice(1).join(' '),
    });
  });

  it('is told as held when another program has it', async () => {
    const address = bench.phone.state().adb;
    bench.phone.hold();
    const app = await openKeenLarder({ ...quick, home: join(folder.path, 'held'), addresses: [address] });
    try {
      await until('the silence', () => connection(app, address)?.state === 'silent');
    } finally {
      await app.close();
      bench.phone.mendAll();
    }
  });
});

describe('a phone behind the adb server', () => {
  it('shows as unauthorised, is let in, is imaged, follows into recovery, and goes with the server', async () => {
    const home = join(folder.path, 'served');
    mkdirSync(home);
    const app = await openKeenLarder({ ...quick, home, addresses: [], adbServerPort: port });
    const address = bench.phone.state().adb;
    const names = () => app.bench.ways.view().connections.map(({ state }) => state);
    try {
      await adb('kill-server').catch(() => undefined);
      await until('no server', () => app.bench.ways.view().adbServer.state === 'missing');
      await adb('start-server');
      await until('the server', () => app.bench.ways.view().adbServer.state === 'running');
      await adb('connect', address).catch(() => undefined);
      await until('the question', () => names().includes('asks'));
      await bench.phone.answerAsking(true);
      await until('the phone', isHere(app));
      expect(app.bench.view(serial).link).toBe(`adb server ${address}`);

      const picked = ['boot', 'modemst1', 'efs'];
      const confirmed = ['identity-left-out', 'live-file-system'];
      const { id } = await startImaging(app, serial, { label: 'through the server', picked, confirmed });
      const ended = await app.engine.ended(id);
      expect(ended.outcome).toMatch(/The phone computes the same digests/);
      const boot = app.larder.detail(ended.setId!).images.find(({ partition }) => partition === 'boot')!;
      expect((await app.bench.access(serial).digest('boot', wholeOf(boot.bytes))).hex).toBe(boot.sha256);

      await app.bench.restart(serial, 'recovery');
      await until('recovery', async () => {
        // Over TCP the server is told to connect anew; over USB it notices by itself.
        await adb('connect', address).catch(() => undefined);
        return app.bench.linkIn(serial, 'recovery') !== undefined;
      });
      await adb('kill-server');
      await until('its going', () => !isHere(app)());
      await until('no server', () => app.bench.ways.view().adbServer.state === 'missing');
      expect(app.bench.ways.view().connections).toEqual([]);
    } finally {
      await app.close();
    }
  });
});

it('the key is made once, and is a key that phones take', async () => {
  const home = join(folder.path, 'keys');
  mkdirSync(home);
  const key = await adbKeyOf(home);
  expect((await adbKeyOf(home)).publicLine).toBe(key.publicLine);
  const parsed = parseAdbPublicKey(key.publicLine);
  expect(parsed.exponent).toBe(65_537);
  expect(parsed.modulus[0]! & 0x80).toBe(0x80);
  expect(() => parseAdbPublicKey('QUJD x')).toThrow(/3 bytes instead of 524/);
  expect(() => parseAdbPublicKey('no-key x')).toThrow(/base64/);
});

it('lists of the server are read with all that they may say', () => {
  const text = [
    'TW3K-10482             device usb:1-2 product:knot3 model:Knot_3 device:knot3 transport_id:3',
    '127.0.0.1:5555         recovery product:knot3 model:Knot_3 device:knot3 transport_id:12',
    'ABC                    unauthorized usb:1-4 transport_id:4',
    '????????????           no permissions (user in plugdev group; are your udev rules wrong?); see [http://developer.android.com/tools/device.html] usb:1-5 transport_id:5',
    'DEF                    offline transport_id:6',
    '',
  ].join('\n');
  expect(parseDevices(text)).toEqual([
    { name: 'TW3K-10482', state: 'device', transportId: 3n },
    { name: '127.0.0.1:5555', state: 'recovery', transportId: 12n },
    { name: 'ABC', state: 'unauthorized', transportId: 4n },
    { name: '????????????', state: 'no permissions', transportId: 5n },
    { name: 'DEF', state: 'offline', transportId: 6n },
  ]);
});
