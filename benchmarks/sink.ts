/** Drops what comes over a bare socket, in a process of its own: what a link costs that does nothing. */
import { createServer } from 'node:net';
import type { AddressInfo } from 'node:net';
import { readingInto } from '@keen-larder/standin/phone/socket-memory.ts';

const memory = new Uint8Array(1 << 20);
const server = createServer({ pauseOnConnect: true }, (accepted) => {
  const socket = readingInto(
    accepted,
    () => memory,
    () => true,
  );
  socket.on('error', () => socket.destroy());
  socket.on('end', () => socket.end());
  socket.resume();
});
server.listen(0, '127.0.0.1', () =>
  process.stdout.write(`${JSON.stringify({ port: (server.address() as AddressInfo).port })}\n`),
);
