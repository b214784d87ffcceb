import { setImmediate as nextTurn } from 'node:timers/promises';
import type { AdbServerClient } from '@yume-chan/adb';
import { AdbServerNodeTcpConnector } from '@yume-chan/adb-server-node-tcp';
import { ReadableStream, type ReadableStreamDefaultReader } from '@yume-chan/stream-extra';
import { raceAgainst } from '../../async/race-against.ts';

/**
 * Connects to the adb server as the client's own connector does, and ends what comes from it when the connection breaks
 * off, which that one leaves waiting for ever: a server that was ended resets its connections.
 */
export class ServerConnector extends AdbServerNodeTcpConnector {
  override async connect(
    options?: AdbServerClient.ServerConnectionOptions,
  ): Promise<AdbServerClient.ServerConnection> {
    const connection = await super.connect(options);
    return {
      readable: endingWith(connection.readable, connection.closed),
      writable: connection.writable,
      get closed() {
        return connection.closed;
      },
      close: () => connection.close(),
    };
  }
}

/** What a connection sends until its end. @param closed resolves when it is gone; when no end came, that is an error */
function endingWith(
  stream: AdbServerClient.ServerConnection['readable'],
  closed: Promise<unknown>,
): AdbServerClient.ServerConnection['readable'] {
  const reader: ReadableStreamDefaultReader<Uint8Array> = stream.getReader();
  const broken = closed
    .then(() => nextTurn())
    .then((): never => {
      throw new Error('it broke the connection off');
    });
  const orBroken = raceAgainst(broken);
  return new ReadableStream<Uint8Array>(
    {
      async pull(controller) {
        // What came before the connection went is there at once, its end as well.
        const { done, value } = await orBroken(reader.read());
        if (done) controller.close();
        else controller.enqueue(value);
      },
      cancel: (reason) => reader.cancel(reason),
    },
    { highWaterMark: 0 },
  );
}
