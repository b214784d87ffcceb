// A bench that other computers reach: over TLS, with names, and only where somebody signs in. The outside judges are openssl and curl.
import { execFile, execFileSync } from 'node:child_process';
import { statSync, writeFileSync } from 'node:fs';
import { networkInterfaces } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { quick, testFolder } from '../../testing/bench.ts';
import { openKeenLarder } from '../keen-larder.ts';
import { serve, type Listening, type Serving } from '../serve.ts';
import { hostsOf, isLoopback } from './addresses.ts';
import { certificateOf } from './certificate.ts';

const folder = testFolder();
const home = join(folder.path, 'home');
const owner = { name: 'Hut owner', passphrase: 'samphire and sea lavender' };
/** An address of this computer that is not loopback, where it has one. */
const outside = Object.values(networkInterfaces())
  .flatMap((each) => each ?? [])
  .find(({ family, internal }) => family === 'IPv4' && !internal)?.address;
const listening = (listen: Listening) =>
  serve({ ...quick, home, port: 0, addresses: [], isClosed: true, listen });

afterAll(() => folder.remove());

/** Beside this process, which is to answer it. */
const curl = (...words: string[]) =>
  new Promise<{ code: number; status: number; out: string }>((resolve) => {
    const say = ['-s', '-w', '\n%{http_code}', ...words];
    execFile('curl', say, { encoding: 'utf8' }, (error, out) =>
      resolve({ code: Number(out.trimEnd().split('\n').at(-1)), status: Number(error?.code ?? 0), out }),
    );
  });

it('tells loopback from what others reach', () => {
  for (const address of ['127.0.0.1', '127.8.8.8', '::1', 'localhost'])
    expect([address, isLoopback(address)]).toEqual([address, true]);
  for (const address of ['0.0.0.0', '::', '192.0.2.7', '1.127.0.0', 'bench.example', ''])
    expect([address, isLoopback(address)]).toEqual([address, false]);
  expect(hostsOf('192.0.2.7', ['bench.example']).slice(0, 2)).toEqual(['bench.example', '192.0.2.7']);
});

it('is not started for others before somebody signs in', async () => {
  await expect(listening({ address: '0.0.0.0' })).rejects.toThrow('Add an operator first');
  const app = await openKeenLarder({ ...quick, home, addresses: [] });
  await app.people.add({ ...owner, role: 'owner' });
  await app.close();
});

describe.runIf(outside)('once somebody does', () => {
  let serving: Serving;
  let cert: string;

  beforeAll(async () => {
    serving = await listening({ address: '0.0.0.0', names: ['bench.example'] });
    cert = join(home, 'tls/certificate.pem');
  });
  afterAll(() => serving.close());

  const at = (host: string) => `https://${host}:${new URL(serving.url).port}`;

  it('has a certificate of its own that openssl finds good for all its names, with a key that is nobody else’s', () => {
    const text = execFileSync(
      'openssl',
      ['x509', '-in', cert, '-noout', '-text', '-fingerprint', '-sha256'],
      { encoding: 'utf8' },
    );
    expect(text).toContain('DNS:bench.example');
    expect(text).toContain(`IP Address:${outside}`);
    expect(text).toContain('CA:FALSE');
    expect(text).toContain(serving.certificate!.fingerprint);
    execFileSync('openssl', ['verify', '-CAfile', cert, '-verify_hostname', 'bench.example', cert]);
    expect(statSync(join(home, 'tls/key.pem')).mode & 0o077).toBe(0);
  });

  it('answers there over TLS alone, by its own names alone, and nobody who has not signed in', async () => {
    expect(await curl('--cacert', cert, `${at(outside!)}/api/session`)).toMatchObject({
      code: 200,
      status: 0,
    });
    expect((await curl(`${at(outside!)}/api/session`)).status).toBe(60);
    expect((await curl(`${at(outside!).replace('https', 'http')}/api/session`)).code).toBe(0);
    expect((await curl('--cacert', cert, '--tls-max', '1.1', `${at(outside!)}/api/session`)).code).toBe(0);
    expect((await curl('--cacert', cert, `${at(outside!)}/api/phones`)).code).toBe(401);
    expect(
      (await curl('--cacert', cert, '-H', 'Host: elsewhere.example', `${at(outside!)}/api/session`)).code,
    ).toBe(403);
    const jar = join(folder.path, 'jar');
    const body = ['-H', 'Content-Type: application/json', '-d', JSON.stringify(owner)];
    const signIn = ['--cacert', cert, '-c', jar, ...body];
    expect(
      (await curl(...signIn, '-H', 'Origin: https://elsewhere.example', `${at(outside!)}/api/session`)).code,
    ).toBe(403);
    expect((await curl(...signIn, '-H', `Origin: ${at(outside!)}`, `${at(outside!)}/api/session`)).code).toBe(
      201,
    );
    expect((await curl('--cacert', cert, '-b', jar, `${at(outside!)}/api/phones`)).code).toBe(200);
  });

  it('sends the session over TLS alone', async () => {
    const { out: told } = await curl(
      ...['-i', '--cacert', cert, '-H', 'Content-Type: application/json', '-d', JSON.stringify(owner)],
      `${at('127.0.0.1')}/api/session`,
    );
    expect(told).toMatch(
      /set-cookie: keen-larder-session-\d+=[^;]+; HttpOnly; SameSite=Strict; Path=\/; Secure/i,
    );
  });

  it('keeps the last operator', () => {
    const [only] = serving.app.people.list();
    expect(() => serving.app.people.end(only!.id)).toThrow('one operator must remain');
  });
});

describe('the certificate', () => {
  const now = Date.UTC(2026, 10, 1);
  const hosts = ['bench.example', '192.0.2.7'];

  it('stays as long as it is good, and is made anew for another name or when it ends', async () => {
    const first = await certificateOf(folder.path, hosts, now);
    expect((await certificateOf(folder.path, hosts, now + 300 * 86_400_000)).cert).toBe(first.cert);
    expect((await certificateOf(folder.path, hosts, now + 380 * 86_400_000)).cert).not.toBe(first.cert);
    const again = await certificateOf(folder.path, hosts, now);
    expect((await certificateOf(folder.path, [...hosts, 'other.example'], now)).cert).not.toBe(again.cert);
  });

  it('may be one’s own, as openssl makes it; what cannot be used is said', async () => {
    const path = (name: string) => join(folder.path, name);
    const make = (name: string) =>
      execFileSync(
        'openssl',
        [
          'req',
          '-x509',
          '-newkey',
          'rsa:2048',
          '-nodes',
          '-days',
          '30',
          '-subj',
          '/CN=bench.example',
          '-keyout',
          path(`${name}.key`),
          '-out',
          path(`${name}.crt`),
        ],
        { stdio: 'ignore' },
      );
    make('a');
    make('b');
    const given = { certificate: path('a.crt'), key: path('a.key') };
    expect(await certificateOf(home, hosts, Date.now(), given)).toMatchObject({ isOwn: false });
    await expect(certificateOf(home, hosts, Date.now(), { ...given, key: path('b.key') })).rejects.toThrow(
      'is not the key of',
    );
    await expect(certificateOf(home, hosts, Date.now(), { ...given, key: path('none') })).rejects.toThrow(
      'cannot be read (ENOENT)',
    );
    await expect(certificateOf(home, hosts, Date.now() + 31 * 86_400_000, given)).rejects.toThrow(
      'Get a new one',
    );
    writeFileSync(path('odd'), 'no certificate');
    await expect(
      certificateOf(home, hosts, Date.now(), { ...given, certificate: path('odd') }),
    ).rejects.toThrow('not a certificate and its key');
  });
});
