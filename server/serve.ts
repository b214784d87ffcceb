import type { Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import type { Logger } from 'pino';
import { accessKeyOf } from './http/access.ts';
import { httpApp } from './http/app.ts';
import { openKeenLarder, type KeenLarder, type Options } from './keen-larder.ts';

export interface Serving {
  readonly url: string;
  /** The address with the key, to be opened once in a browser. */
  readonly link: string;
  readonly app: KeenLarder;
  /** Breaks off what browsers have open, as a network that fails does. */
  breakConnections(): void;
  close(): Promise<void>;
}

export interface ServeOptions extends Options {
  readonly log: Logger;
  /** 0 for any. */
  readonly port: number;
  readonly practiceUrl?: string;
  /** Nothing is answered without the key of the home folder. */
  readonly isClosed?: boolean;
}

/** Opens the larder and serves it on loopback. */
export async function serve(options: ServeOptions): Promise<Serving> {
  const app = await openKeenLarder(options);
  const accessKey = options.isClosed ? await accessKeyOf(options.home) : undefined;
  const { log, practiceUrl } = options;
  const http = httpApp(app, { log, practiceUrl, accessKey });
  const server = await new Promise<Server>((resolve, reject) => {
    const listening = http.listen(options.port, '127.0.0.1', (error?: Error) =>
      error ? reject(error) : resolve(listening),
    );
  });
  // Copying an image of tens of GiB into the larder takes longer than Node grants a request by itself.
  server.requestTimeout = 0;
  const { port } = server.address() as AddressInfo;
  const url = `http://127.0.0.1:${port}`;
  return {
    url,
    link: accessKey === undefined ? url : `${url}/?key=${accessKey}`,
    app,
    breakConnections: () => server.closeAllConnections(),
    async close() {
      server.closeAllConnections();
      await new Promise((resolve) => server.close(resolve));
      await app.close();
    },
  };
}
