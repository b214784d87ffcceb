import { connect, type OnReadOpts, type Socket } from 'node:net';
import { NobodyThere } from '../failures.ts';

const connectMs = 3000;

/**
 * Opens a TCP connection; an error then ends it, which whoever takes it hears by its `close`.
 * @param address `host:port`
 * @param onread where what comes in is put, when not into buffers of its own
 * @throws NobodyThere
 */
export function connectTcp(address: string, onread?: OnReadOpts): Promise<Socket> {
  const colon = address.lastIndexOf(':');
  return new Promise((resolve, reject) => {
    const socket = connect({
      host: address.slice(0, colon),
      port: Number(address.slice(colon + 1)),
      ...(onread && { onread }),
    });
    const fail = (why: string) => {
      clearTimeout(timer);
      socket.destroy();
      reject(new NobodyThere(`${address} does not answer: ${why}`));
    };
    const timer = setTimeout(() => fail('timed out'), connectMs);
    socket.once('error', ({ message }) => fail(message));
    socket.once('connect', () => {
      clearTimeout(timer);
      socket.removeAllListeners('error');
      socket.on('error', () => socket.destroy());
      socket.setNoDelay(true);
      resolve(socket);
    });
  });
}
