// A bootloader that never comes to the end of what it says.
import { createServer, type Server } from 'node:net';
import { once } from 'node:events';
import type { AddressInfo } from 'node:net';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { messageLength } from '@keen-larder/core/protocols/fastboot/fastboot-messages.ts';
import { SilenceLimit } from '../silence.ts';
import { FastbootLink } from './fastboot-link.ts';

const line = Buffer.from('INFOpartition-size:boot: 0x4000000');
const message = Buffer.concat([messageLength(line.length), line]);
const many = Buffer.concat(Array.from({ length: 500 }, () => message));
let server: Server;

beforeAll(async () => {
  server = createServer((socket) => {
    socket.on('error', () => undefined);
    socket.write('FB01');
    let isAsked = false;
    socket.on('data', (bytes) => {
      if (isAsked || !bytes.includes('getvar')) return;
      isAsked = true;
      const more = () => {
        while (!socket.destroyed && socket.write(many));
      };
      socket.on('drain', more);
      more();
    });
  }).listen(0, '127.0.0.1');
  await once(server, 'listening');
});
afterAll(() => void server.close());

it('is given up, with words, and its link is closed', async () => {
  const { port } = server.address() as AddressInfo;
  const link = await FastbootLink.open(`127.0.0.1:${port}`, new SilenceLimit(10_000));
  await expect(link.facts()).rejects.toThrow(/does not come to an end|is gone|ended/i);
  await link.gone;
});
