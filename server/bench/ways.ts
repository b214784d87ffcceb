import { setTimeout as pause } from 'node:timers/promises';
import type { ConnectionsView } from '@keen-larder/contract/connections.ts';
import { servedState, type ConnectionState } from '@keen-larder/core/phone/connections.ts';
import type { AddressStatements } from '../database/addresses.ts';
import { AdbLink } from '../links/adb/adb-link.ts';
import type { AdbKey } from '../links/adb/key.ts';
import { AdbServer, usualServerPort, type ServedPhone } from '../links/adb/server.ts';
import { isLinkAddress, openLink } from '../links/open-link.ts';
import { type PhoneLink } from '../links/phone-link.ts';
import { Connections } from './connections.ts';
import { NobodyThere, Problem, PhoneFailure } from '../failures.ts';
import { SilenceLimit } from '../links/silence.ts';

export interface WaysOptions {
  /** What to follow: `host:port` of an adb daemon, or with `fastboot:` or `loader:` before it. */
  readonly addresses: readonly string[];
  /** Where the adb server listens that is followed as well; left out for none. */
  readonly adbServerPort?: number;
  readonly adbKey: AdbKey;
  /** A connected phone that gives no sign of life for so long is not waited for. */
  readonly stallMs: number;
  /** Between two looks at an address that does not answer. */
  readonly pollMs: number;
  readonly now: () => number;
  /** Told of errors that nobody foresaw, for the log. */
  readonly unforeseen: (error: unknown) => void;
}

/** What happens at the end of a way. */
export interface WayEnds {
  /**
   * Follows a phone to its going. Resolves to whether it was a second way to a phone that is here already.
   * @param known told the phone's serial once it is known
   */
  follow(link: PhoneLink, known: (serial: string) => void): Promise<boolean>;
  /** A run works over the connection to this address. */
  isBusy(address: string): boolean;
  /** An address was looked at once more. */
  looked(): void;
  changed(): void;
}

/** A connection that was taken and then said nothing for so long is held by somebody else. */
const silentMs = 4000;
/** Between two looks at a second way to a phone that is here. */
const secondLookMs = 5000;

/** Looks for phones at addresses and behind the local adb server, and knows how it stands with each. */
export class Ways {
  private readonly stopping = new AbortController();
  private readonly watchers = new Set<Promise<void>>();
  /** Ends the watching of one address. */
  private readonly watched = new Map<string, AbortController>();
  private readonly connections: Connections;
  private readonly silence: SilenceLimit;
  private adbServerState: ConnectionsView['adbServer']['state'] = 'not followed';

  constructor(
    private readonly options: WaysOptions,
    private readonly addresses: AddressStatements,
    private readonly bench: WayEnds,
  ) {
    this.silence = new SilenceLimit(options.stallMs);
    this.connections = new Connections(() => bench.changed());
  }

  start(): void {
    for (const address of this.options.addresses) this.begin(address, 'start');
    for (const address of this.addresses.all()) this.begin(address, 'added');
    if (this.options.adbServerPort !== undefined) this.keep(this.followServer(this.options.adbServerPort));
  }

  async stop(): Promise<void> {
    this.stopping.abort();
    await Promise.allSettled([...this.watchers]);
  }

  view(): ConnectionsView {
    const port = this.options.adbServerPort ?? usualServerPort;
    return {
      adbServer: { port, state: this.adbServerState },
      connections: this.connections.list(),
      fingerprint: this.options.adbKey.fingerprint,
    };
  }

  /** Follows an address from now on. @throws Problem 400 or 409 */
  add(address: string): ConnectionsView {
    if (!isLinkAddress(address))
      throw new Problem(
        400,
        `“${address}” is no address. Write it as HOST:PORT, such as 192.168.1.20:5555; a port is a number from 1 to 65535.`,
      );
    if (this.watched.has(address)) throw new Problem(409, `${address} is followed already.`);
    this.addresses.add(address, this.options.now());
    this.begin(address, 'added');
    return this.view();
  }

  /** Follows an address no longer. @throws Problem 404 or 409 */
  remove(address: string): ConnectionsView {
    if (this.bench.isBusy(address))
      throw new Problem(409, 'A run works over this connection. Wait for its end or cancel it.');
    if (!this.addresses.remove(address))
      throw new Problem(404, `${address} was not added here; it was given when the program was started.`);
    this.watched.get(address)?.abort();
    return this.view();
  }

  private begin(address: string, origin: 'start' | 'added'): void {
    const controller = new AbortController();
    this.watched.set(address, controller);
    this.connections.set(address, origin, 'nobody');
    const signal = AbortSignal.any([this.stopping.signal, controller.signal]);
    this.keep(
      this.watch(address, origin, signal).finally(() => {
        this.watched.delete(address);
        this.connections.remove(address);
      }),
    );
  }

  private keep(watcher: Promise<void>): void {
    const kept = watcher.catch((error: unknown) => this.unforeseen(error));
    this.watchers.add(kept);
    void kept.finally(() => this.watchers.delete(kept));
  }

  /** Nothing that a phone says may end the program, or the looking for others. */
  private unforeseen(error: unknown, tell: () => void = () => undefined): void {
    if (this.stopping.signal.aborted) return;
    this.options.unforeseen(error);
    tell();
  }

  private async watch(address: string, origin: 'start' | 'added', signal: AbortSignal): Promise<void> {
    const tell = (state: ConnectionState, serial?: string) =>
      this.connections.set(address, origin, state, serial);
    while (!signal.aborted) {
      const beganAt = performance.now();
      let wait = this.options.pollMs;
      try {
        const credentials = { key: this.options.adbKey, signal, asked: () => tell('asks') };
        const link = await openLink(address, credentials, this.silence);
        const close = () => link.close();
        signal.addEventListener('abort', close, { once: true });
        const isSecond = await this.bench
          .follow(link, (serial) => tell('connected', serial))
          .finally(() => signal.removeEventListener('abort', close));
        tell(isSecond ? 'second' : 'nobody');
        if (isSecond) wait = Math.max(wait, secondLookMs);
      } catch (error) {
        const wasSilent = !(error instanceof NobodyThere) && performance.now() - beganAt > silentMs;
        if (error instanceof PhoneFailure) tell(wasSilent ? 'silent' : 'nobody');
        else this.unforeseen(error, () => tell('unreadable'));
      }
      this.bench.looked();
      await pause(wait, undefined, { signal }).catch(() => undefined);
    }
  }

  /** Follows the phones that the local adb server has, each from its coming to its going. */
  private async followServer(port: number): Promise<void> {
    const server = new AdbServer(port);
    const { signal } = this.stopping;
    const followed = new Map<bigint, ServedPhone>();
    await server.follow(this.options.pollMs, signal, (told) => {
      const before = this.adbServerState;
      this.adbServerState = typeof told === 'string' ? told : 'running';
      if (this.adbServerState !== before) this.bench.changed();
      // A server that says nothing says nothing of their going either.
      if (told === 'silent') return;
      const phones = told === 'missing' ? [] : told;
      for (const [transportId, { name }] of followed) {
        if (phones.some((each) => each.transportId === transportId)) continue;
        followed.delete(transportId);
        if (!phones.some((each) => each.name === name)) this.connections.remove(name);
      }
      for (const served of phones) {
        const state = servedState(served.state);
        if (followed.get(served.transportId)?.state === served.state) continue;
        followed.set(served.transportId, served);
        if (state === 'open') this.keep(this.followServed(server, served));
        else this.connections.set(served.name, 'adb server', state);
      }
    });
  }

  private async followServed(server: AdbServer, served: ServedPhone): Promise<void> {
    const tell = (state: ConnectionState, serial?: string) =>
      this.connections.set(served.name, 'adb server', state, serial);
    try {
      const connection = await server.connect(served);
      const link = await AdbLink.over(connection, served.state, `adb server ${served.name}`, this.silence);
      const isSecond = await this.bench.follow(link, (serial) => tell('connected', serial));
      if (isSecond) tell('second');
    } catch (error) {
      if (!(error instanceof PhoneFailure)) this.unforeseen(error, () => tell('unreadable'));
      else if (this.connections.has(served.name)) tell('offline');
    }
  }
}
