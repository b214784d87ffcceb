import { createServer, type Server } from 'node:http';
import { createServer as createSecureServer } from 'node:https';
import type { AddressInfo } from 'node:net';
import type { Logger } from 'pino';
import { accessKeyOf } from './http/access.ts';
import { hostsOf, inUrl, isLoopback } from './http/addresses.ts';
import { httpApp } from './http/app.ts';
import { certificateOf, type Certificate } from './http/certificate.ts';
import { openKeenLarder, type KeenLarder, type Options } from './keen-larder.ts';

export interface Serving {
  readonly url: string;
  /** The address with the key, to be opened once in a browser. */
  readonly link: string;
  /** Where it is reached from other computers. */
  readonly certificate: Certificate | undefined;
  readonly app: KeenLarder;
  /** Breaks off what browsers have open, as a network that fails does. */
  breakConnections(): void;
  close(): Promise<void>;
}

/** Where it listens, besides on this computer. */
export interface Listening {
  /** `0.0.0.0` for all of this computer's. */
  readonly address: string;
  /** Further names of this computer. */
  readonly names?: readonly string[];
  /** Files in PEM; one is made where they are left out. */
  readonly certificate?: { readonly certificate: string; readonly key: string };
}

export interface ServeOptions extends Options {
  readonly log: Logger;
  /** 0 for any. */
  readonly port: number;
  readonly practiceUrl?: string;
  /** Nothing is answered without the key of the home folder. */
  readonly isClosed?: boolean;
  /** Left out for loopback. */
  readonly listen?: Listening;
}

const onLoopback: Listening = { address: '127.0.0.1' };

/**
 * Opens the larder and serves it.
 * @throws Error where it is to be reached from other computers and nobody is asked to sign in
 */
export async function serve(options: ServeOptions): Promise<Serving> {
  const app = await openKeenLarder(options);
  try {
    return await serveOpened(app, options);
  } catch (error) {
    await app.close();
    throw error;
  }
}

async function serveOpened(app: KeenLarder, options: ServeOptions): Promise<Serving> {
  const { log, practiceUrl, home, listen = onLoopback } = options;
  const isLocal = isLoopback(listen.address);
  if (!isLocal) requireOperators(app, listen.address);
  const hosts = hostsOf(listen.address, listen.names);
  const isSecure = !isLocal || listen.certificate !== undefined;
  const certificate = isSecure ? await certificateOf(home, hosts, app.now(), listen.certificate) : undefined;
  const accessKey = options.isClosed ? await accessKeyOf(home) : undefined;
  const http = httpApp(app, { log, practiceUrl, accessKey, hosts });
  const server: Server = certificate
    ? createSecureServer({ cert: certificate.cert, key: certificate.key, minVersion: 'TLSv1.2' }, http)
    : createServer(http);
  await new Promise<void>((resolve, reject) => {
    server.once('error', reject);
    server.listen(options.port, listen.address, resolve);
  });
  // Copying an image of tens of GiB into the larder takes longer than Node grants a request by itself.
  server.requestTimeout = 0;
  const { port } = server.address() as AddressInfo;
  const url = `${certificate ? 'https' : 'http'}://${inUrl(hosts[0]!)}:${port}`;
  return {
    url,
    link: accessKey === undefined || app.people.asksWho ? url : `${url}/?key=${accessKey}`,
    ...{ certificate, app },
    breakConnections: () => server.closeAllConnections(),
    async close() {
      server.closeAllConnections();
      await new Promise((resolve) => server.close(resolve));
      await app.close();
    },
  };
}

/** @throws Error */
function requireOperators({ people }: KeenLarder, address: string): void {
  if (!people.asksWho)
    throw new Error(
      `At ${address} other computers reach this bench, so it must ask who uses it. Add an operator first: npm run larder -- operators add NAME. Nothing was started.`,
    );
  people.mustAsk = true;
}
