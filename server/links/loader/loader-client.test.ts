// A loader that says what makes no sense is a link that does not work, and nothing that nobody foresaw.
import { createServer, type AddressInfo } from 'node:net';
import { expect, it } from 'vitest';
import { loaderHeaderBytes } from '@keen-larder/core/protocols/loader/loader-messages.ts';
import { LinkFailure } from '../../failures.ts';
import { SilenceLimit } from '../silence.ts';
import { LoaderClient } from './loader-client.ts';

it.each([
  '',
  '{"chip":"Q',
  '{"chip":"Q1","serial":"A","regions":[{"name":"disk","bytes":0,"sectorBytes":512}]}',
])('hello and battery: %j', async (said) => {
  const server = createServer((socket) =>
    socket.on('data', (request) => {
      const payload = Buffer.from(said);
      const operation = request.readUInt16LE(4);
      socket.write(Buffer.concat([loaderHeaderBytes(operation, 0, payload.length), payload]));
    }),
  );
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  const { port } = server.address() as AddressInfo;
  const client = await LoaderClient.open(`127.0.0.1:${port}`, new SilenceLimit(2000));
  await expect(client.hello()).rejects.toBeInstanceOf(LinkFailure);
  if (!said.endsWith('}'))
    await expect(client.battery()).rejects.toThrow(/^What the phone says makes no sense/);
  client.close();
  server.close();
});
