import { Socket, type OnReadOpts } from 'node:net';

/** What Node keeps of an accepted socket: the connection itself, and the server that counts it. */
interface Accepted {
  _handle: unknown;
  _server: unknown;
}

/**
 * An accepted socket (`pauseOnConnect`) that reads into memory of the caller's. Node offers `onread` to whoever
 * connects, not to whoever accepts, so the connection moves to a socket that has it. Without it each 64 KiB are a
 * buffer to collect, which made the simulated phone the slower end of every write.
 * @param space where the next bytes go
 * @param took told how many came there; answers whether more may come before `resume()`
 */
export function readingInto(
  accepted: Socket,
  space: () => Uint8Array,
  took: (bytes: number) => boolean,
): Socket {
  // Node has these, and its types do not tell.
  const held = accepted as unknown as Accepted;
  const onread: OnReadOpts = { buffer: space, callback: (count) => took(count) };
  const options: object = { handle: held._handle, onread };
  const socket: Socket = new Socket(options);
  Object.assign(socket, { _server: held._server });
  held._handle = null;
  held._server = null;
  return socket;
}
