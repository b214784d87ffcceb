import type { Socket } from 'node:net';

/** Resolves when a socket takes more again, or never will. */
export function drained(socket: Socket): Promise<void> {
  return new Promise((resolve) => {
    const done = () => {
      socket.off('drain', done);
      socket.off('close', done);
      resolve();
    };
    socket.on('drain', done);
    socket.on('close', done);
  });
}
