// Adb servers that break off, say nothing, or come back: each is told as what it is, and asked again.
import { createServer, type Server, type Socket } from 'node:net';
import { afterEach, expect, it } from 'vitest';
import { until } from '../../../testing/until.ts';
import { AdbServer, type Served } from './server.ts';

let listening: Server | undefined;
const sockets = new Set<Socket>();
afterEach(() => {
  for (const socket of sockets) socket.destroy();
  listening?.close();
});

/** A server that treats each connection, by its number, once its request has come. */
async function serving(treat: (socket: Socket, n: number) => void): Promise<number> {
  let n = 0;
  const server = createServer((socket) => {
    sockets.add(socket);
    socket.on('error', () => undefined);
    const mine = n++;
    socket.once('data', () => treat(socket, mine));
  });
  listening = server;
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  return (server.address() as { port: number }).port;
}

/** What the protocol of the adb server says of one phone (AOSP, “SERVICES.TXT”: `host:devices-l`). */
const line = 'TW3K-10482             device usb:1-2 product:knot3 model:Knot_3 device:knot3 transport_id:3\n';
const answer = `OKAY${line.length.toString(16).padStart(4, '0')}${line}`;
const one: Served = [{ name: 'TW3K-10482', state: 'device', transportId: 3n }];

it.each([
  ['before it answers', (socket: Socket) => socket.resetAndDestroy()],
  [
    'in the middle of its answer',
    (socket: Socket) =>
      socket.write(answer.slice(0, 30), () => setTimeout(() => socket.resetAndDestroy(), 20)),
  ],
  ['by an end', (socket: Socket) => socket.end(answer.slice(0, 30))],
])('is missing when it breaks off %s, and is found again', async (_, breakOff) => {
  const port = await serving((socket, n) => void (n === 0 ? breakOff(socket) : socket.end(answer)));
  const ended = new AbortController();
  const told: Served[] = [];
  const followed = new AdbServer(port).follow(5, ended.signal, (served) => void told.push(served));
  await until('both', () => told.length >= 2);
  ended.abort();
  await followed;
  expect(told.slice(0, 2)).toEqual(['missing', one]);
});

it('is silent when it does not answer, and is not waited for at the end', async () => {
  const port = await serving((socket, n) => void (n === 1 && socket.end(answer)));
  const ended = new AbortController();
  const told: Served[] = [];
  const followed = new AdbServer(port, 60).follow(5, ended.signal, (served) => void told.push(served));
  await until('three', () => told.length >= 3);
  expect(told.slice(0, 3)).toEqual(['silent', one, 'silent']);
  ended.abort();
  await followed;
});
