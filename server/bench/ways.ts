import { setTimeout as pause } from 'node:timers/promises';
import type { AdbServerClient } from '@yume-chan/adb';
import type { ConnectionsView, WirelessPhone } from '@keen-larder/contract/connections.ts';
import { servedState, type ConnectionState } from '@keen-larder/core/phone/connections.ts';
import type { AddressStatements } from '../database/addresses.ts';
import { AdbLink } from '../links/adb/adb-link.ts';
import type { AdbKey } from '../links/adb/key.ts';
import { AdbServer, usualServerPort, type ServedPhone } from '../links/adb/server.ts';
import { announcedPhones, connectThrough, pair } from '../links/adb/wireless.ts';
import { isLinkAddress, openLink } from '../links/open-link.ts';
import { type PhoneLink } from '../links/phone-link.ts';
import { Connections } from './connections.ts';
import { NobodyThere, Problem, PhoneFailure } from '../failures.ts';
import type { UsbBus } from '../links/usb/usb-bus.ts';
import { UsbWays } from './usb-ways.ts';
import { SilenceLimit } from '../links/silence.ts';

export interface WaysOptions {
  /** What to follow: `host:port` of an adb daemon, or with `fastboot:` or `loader:` before it. */
  readonly addresses: readonly string[];
  /** Where the adb server listens that is followed as well; left out for none. */
  readonly adbServerPort?: number;
  /** The USB bus, or why there is none; left out where USB is not looked at. */
  readonly usbBus?: UsbBus | string;
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
  private readonly usb: UsbWays;
  private readonly silence: SilenceLimit;
  private server: AdbServer | undefined;
  private isLooking = false;
  private wireless: readonly WirelessPhone[] | undefined;
  private adbServerState: ConnectionsView['adbServer']['state'] = 'not followed';

  constructor(
    private readonly options: WaysOptions,
    private readonly addresses: AddressStatements,
    private readonly bench: WayEnds,
  ) {
    this.silence = new SilenceLimit(options.stallMs);
    this.connections = new Connections(() => bench.changed());
    this.usb = new UsbWays({
      ...options,
      bus: options.usbBus,
      silence: this.silence,
      hasAdbServer: () => this.adbServerState === 'running',
      follow: (link, known) => bench.follow(link, known),
      tell: (name, state, serial) =>
        state ? this.connections.set(name, 'usb', state, serial) : this.connections.removeFrom(name, 'usb'),
      changed: () => bench.changed(),
    });
  }

  start(): void {
    for (const address of this.options.addresses) this.begin(address, 'start');
    for (const address of this.addresses.all()) this.begin(address, 'added');
    if (this.options.adbServerPort !== undefined) this.keep(this.followServer(this.options.adbServerPort));
    this.keep(this.usb.follow(this.stopping.signal));
  }

  async stop(): Promise<void> {
    this.stopping.abort();
    await Promise.allSettled([...this.watchers]);
  }

  view(): ConnectionsView {
    const port = this.options.adbServerPort ?? usualServerPort;
    return {
      adbServer: { port, state: this.adbServerState },
      usb: this.usb.view(),
      wireless: this.wireless,
      connections: this.connections.list(),
      fingerprint: this.options.adbKey.fingerprint,
    };
  }

  /** Follows an address from now on. @throws Problem 400 or 409 */
  add(address: string): ConnectionsView {
    address = withUsualPort(address);
    if (!isLinkAddress(address))
      throw new Problem(
        400,
        `“${address}” is not an address. Write it as HOST:PORT, such as 192.168.1.20:5555; a port is a number from 1 to 65535.`,
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

  /** Has the adb server pair with a phone that shows a code. @throws Problem 400 or 409 @throws PhoneRefusal */
  async pair(address: string, code: string): Promise<ConnectionsView> {
    await pair(this.serverFor(address), address, code);
    return this.view();
  }

  /** Has the adb server connect to a phone that it has found. @throws Problem 400 or 409 @throws PhoneRefusal */
  async connectThrough(address: string): Promise<ConnectionsView> {
    await connectThrough(this.serverFor(address), address);
    return this.view();
  }

  private serverFor(address: string): AdbServerClient {
    if (!/^[\w.[\]-]+:\d{1,5}$/.test(address) || !isLinkAddress(address))
      throw new Problem(400, `“${address}” is not an address. Write it as the phone shows it: HOST:PORT.`);
    if (!this.server || this.adbServerState !== 'running')
      throw new Problem(409, 'The adb server of this computer does not run: start it by “adb start-server”.');
    return this.server.client;
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
    this.server = server;
    const { signal } = this.stopping;
    const followed = new Map<bigint, ServedPhone>();
    await server.follow(this.options.pollMs, signal, (told) => {
      const before = this.adbServerState;
      this.adbServerState = typeof told === 'string' ? told : 'running';
      if (this.adbServerState !== before) this.bench.changed();
      if (this.adbServerState === 'running') this.keep(this.lookForWireless(server));
      else this.wireless = undefined;
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

  private async lookForWireless({ client }: AdbServer): Promise<void> {
    if (this.isLooking) return;
    this.isLooking = true;
    const before = JSON.stringify(this.wireless);
    // An adb server that went away meanwhile is told as such.
    this.wireless = await announcedPhones(client).catch(() => undefined);
    this.isLooking = false;
    if (JSON.stringify(this.wireless) !== before) this.bench.changed();
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

/** Where adb daemons listen, where nothing else is said (AOSP, packages/modules/adb). */
const usualPort = 5555;

/** An address without a port, of numbers or of names with a dot, is taken to be at the usual one. */
const withUsualPort = (address: string): string =>
  /^(?=.*\.)[A-Za-z0-9][A-Za-z0-9.-]*$/.test(address) ? `${address}:${usualPort}` : address;
