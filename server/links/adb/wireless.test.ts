// Pairing and finding phones through an adb server. What a server says is from AOSP (packages/modules/adb, adb.cpp and
// client/adb_wifi.cpp); Debian's own server, which knows neither, is asked besides.
import { execFile } from 'node:child_process';
import { createServer, type Server } from 'node:net';
import { promisify } from 'node:util';
import { afterEach, expect, it } from 'vitest';
import { AdbServer } from './server.ts';
import { announcedPhones, connectThrough, pair, parseAnnounced } from './wireless.ts';

const closing: (() => unknown)[] = [];
afterEach(async () => {
  for (const close of closing.splice(0)) await close();
});

/** An adb server that answers services with words, or refuses them. */
async function serving(answers: Readonly<Record<string, string | Error>>) {
  const text = (words: string) => words.length.toString(16).padStart(4, '0') + words;
  const server: Server = createServer((socket) => {
    socket.once('data', (bytes) => {
      const answer = answers[bytes.toString().slice(4)] ?? new Error('unknown host service');
      socket.end(answer instanceof Error ? `FAIL${text(answer.message)}` : `OKAY${text(answer)}`);
    });
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  closing.push(() => server.close());
  return new AdbServer((server.address() as { port: number }).port).client;
}

it('finds the phones that announce themselves', async () => {
  const lines = [
    'adb-TW3K10482-x1\t_adb-tls-pairing._tcp\t10.0.0.7:37123',
    'adb-TW3K10482-x2\t_adb-tls-connect._tcp.\t10.0.0.7:40001',
    'printer\t_ipp._tcp\t10.0.0.9:631',
    'odd\t_adb-tls-connect._tcp\tno address',
    '',
  ].join('\n');
  const found = [
    { name: 'adb-TW3K10482-x1', kind: 'pairing', address: '10.0.0.7:37123' },
    { name: 'adb-TW3K10482-x2', kind: 'ready', address: '10.0.0.7:40001' },
  ];
  expect(parseAnnounced(lines)).toEqual(found);
  expect(await announcedPhones(await serving({ 'host:mdns:services': lines }))).toEqual(found);
  expect(await announcedPhones(await serving({}))).toBeUndefined();
});

it('pairs and connects, and hands on why not', async () => {
  const client = await serving({
    'host:pair:123456:10.0.0.7:37123': 'Successfully paired to 10.0.0.7:37123 [guid=adb-x]',
    'host:pair:000000:10.0.0.7:37123': 'Failed: Wrong password or connection was dropped.',
    'host:connect:10.0.0.8:40001': 'connected to 10.0.0.8:40001',
    'host:connect:10.0.0.9:1': 'failed to connect to 10.0.0.9:1',
  });
  await pair(client, '10.0.0.7:37123', '123456');
  await expect(pair(client, '10.0.0.7:37123', '000000')).rejects.toThrow(
    /not paired: “Failed: Wrong password/,
  );
  await connectThrough(client, '10.0.0.8:40001');
  await expect(connectThrough(client, '10.0.0.9:1')).rejects.toThrow(/does not reach it: “failed/);
});

it('says that an old adb server cannot pair', async () => {
  const port = 15_037 + (process.pid % 500);
  const env = { ...process.env, ANDROID_ADB_SERVER_PORT: String(port) };
  const adb = (word: string) => promisify(execFile)('adb', [word], { env, timeout: 30_000 });
  await adb('start-server');
  closing.push(() => adb('kill-server'));
  const { client } = new AdbServer(port);
  await expect(pair(client, '127.0.0.1:1', '123456')).rejects.toThrow(/too old to pair: version 30/);
  expect(await announcedPhones(client)).toBeUndefined();
  await expect(connectThrough(client, '127.0.0.1:1')).rejects.toThrow(/does not reach it/);
});
