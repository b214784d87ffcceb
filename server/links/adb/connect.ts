import type { Socket } from 'node:net';
import {
  Adb,
  AdbDaemonTransport,
  AdbCommand,
  AdbAuthType,
  AdbPublicKeyAuthenticator,
  type AdbAuthenticator,
  type AdbDaemonConnection,
  type AdbPacketData,
  type AdbPacketInit,
} from '@yume-chan/adb';
import { Consumable, PushReadableStream } from '@yume-chan/stream-extra';
import {
  maxPayloadBytes,
  packetHeaderOf,
  PacketParser,
  type Packet,
} from '@keen-larder/core/protocols/adb/packet.ts';
import { PayloadPool } from '@keen-larder/core/protocols/adb/payload-pool.ts';
import { raceAgainst } from '../../async/race-against.ts';
import { connectTcp } from '../tcp.ts';
import type { AdbKey } from './key.ts';
import { LateEnds } from './late-ends.ts';
import { LinkFailure } from '../../failures.ts';

const greetingMs = 5000;

/** A connection to a phone's adb daemon. */
export interface AdbConnection {
  readonly adb: Adb;
  /** Where the payloads that its sockets hand out come from. */
  readonly pool: PayloadPool;
  /** Resolves when the connection has ended, whoever ended it. */
  readonly gone: Promise<void>;
  /** Waits for the client; rejects when the connection ends first, which the client does not always do. */
  orGone<T>(work: PromiseLike<T> | T): Promise<T>;
  close(): void;
}

/** @param gone resolves when the connection has ended */
export const orGoneOf = (gone: Promise<void>): AdbConnection['orGone'] =>
  raceAgainst(
    gone.then((): never => {
      throw new LinkFailure('The phone is no longer connected. Check the cable, then start again.');
    }),
  );

/** What lets this computer in, and what is told while a phone has not decided. */
export interface AdbCredentials {
  readonly key: AdbKey;
  /** Ends the waiting for an answer. */
  readonly signal: AbortSignal;
  /** The phone shows its question now; it may take as long as people take. */
  readonly asked: () => void;
}

/** Both ends of a way to a daemon, before anything was said. */
interface Way {
  readonly connection: AdbDaemonConnection;
  readonly pool: PayloadPool;
  readonly gone: Promise<void>;
  readonly close: () => void;
}

/** Connects to a phone's adb daemon over TCP. @param address `host:port` */
export async function connectAdb(address: string, credentials: AdbCredentials): Promise<AdbConnection> {
  const pool = new PayloadPool();
  const opened = await openSocket(address, pool);
  const { socket } = opened;
  const gone = new Promise<void>((resolve) => socket.once('close', () => resolve()));
  const close = () => void socket.destroy();
  return greet(address, { connection: connectionOf(opened), pool, gone, close }, credentials);
}

/** Greets a daemon, and is let in by it. @param name for words @throws LinkFailure */
export async function greet(
  name: string,
  { connection, pool, gone, close }: Way,
  { key, signal, asked }: AdbCredentials,
): Promise<AdbConnection> {
  const orGone = orGoneOf(gone);
  const timer = setTimeout(close, greetingMs);
  signal.addEventListener('abort', close, { once: true });
  // The library's own reckons in JavaScript, a hundred times as long.
  const signToken: AdbAuthenticator = async function* (_store, next) {
    const { arg0, payload } = await next();
    if (arg0 !== AdbAuthType.Token) return;
    const signed = { command: AdbCommand.Auth, arg0: AdbAuthType.Signature, arg1: 0 };
    yield { ...signed, payload: key.sign(payload) };
  };
  const askOnScreen: AdbAuthenticator = async function* (store, next) {
    clearTimeout(timer);
    asked();
    yield* AdbPublicKeyAuthenticator(store, next);
  };
  try {
    const transport = await orGone(
      AdbDaemonTransport.authenticate({
        serial: name,
        connection,
        credentialStore: key.store,
        authenticators: [signToken, askOnScreen],
        // What a phone may send ahead, where it knows how (Android 14 on); with none, every phone speaks alike.
        initialDelayedAckBytes: aheadBytes,
      }),
    );
    transport.disconnected.catch(() => undefined);
    return { adb: new Adb(transport), pool, gone, orGone, close };
  } catch (error) {
    close();
    throw new LinkFailure(`${name} does not greet as adb does: ${(error as Error).message}`);
  } finally {
    clearTimeout(timer);
    signal.removeEventListener('abort', close);
  }
}

/** Is told how many bytes came into the parser's space; answers whether the socket may go on receiving at once. */
type Receiver = (bytes: number) => boolean;

interface Opened {
  readonly socket: Socket;
  /** Into whose space the socket receives. */
  readonly parser: PacketParser;
  receive: Receiver;
}

/**
 * One payload: writing then goes on before each is answered (as far ahead as the phone allows), while reading is
 * no faster for more.
 */
const aheadBytes = maxPayloadBytes;

async function openSocket(address: string, pool: PayloadPool): Promise<Opened> {
  const parser = new PacketParser((bytes) => pool.take(bytes));
  let receive: Receiver = () => true;
  const socket = await connectTcp(address, {
    buffer: () => parser.space(),
    callback: (length) => receive(length),
  });
  return {
    socket,
    parser,
    set receive(take: Receiver) {
      receive = take;
    },
  };
}

/** A socket as the pair of packet streams that the adb client speaks to. */
function connectionOf(opened: Opened): AdbDaemonConnection {
  const { socket, parser } = opened;
  const ends = new LateEnds<AdbPacketData>();
  let handOn: (packet: AdbPacketData) => Promise<unknown> = () => Promise.resolve();
  const packets = new PushReadableStream<AdbPacketData>((controller) => {
    handOn = (packet) => Promise.resolve(controller.enqueue(packet));
    let open = true;
    const end = () => {
      if (!open) return;
      open = false;
      try {
        controller.close();
      } catch {
        // The reader cancelled first.
      }
    };
    opened.receive = (bytes) => {
      let packet: Packet | undefined;
      try {
        packet = parser.took(bytes);
      } catch {
        socket.destroy();
        return false;
      }
      if (!packet) return true;
      const { command, arg0, arg1, payload } = packet;
      const next = ends.came({ command, arg0, arg1, payload });
      if (!next) return true;
      controller.enqueue(next).then(
        () => socket.resume(),
        () => socket.destroy(),
      );
      return false;
    };
    socket.on('end', end);
    socket.on('close', end);
  });
  const writable = new Consumable.WritableStream<AdbPacketInit>({
    async write(packet) {
      await send(socket, packet);
      const end = ends.sent(packet);
      if (end) void handOn(end).catch(() => socket.destroy());
    },
    close: () => void socket.end(),
    abort: () => void socket.destroy(),
  });
  return { readable: packets, writable };
}

/**
 * A packet in one piece, its payload as it lies. A write that fails ends the socket, and with it the readable
 * side, which is where everyone listens.
 */
function send(socket: Socket, packet: AdbPacketInit): Promise<void> {
  const { payload } = packet;
  const header = packetHeaderOf(packet, payload.length, packet.checksum);
  return new Promise((resolve) => {
    const sent = (error?: Error | null) => {
      if (error) socket.destroy();
      resolve();
    };
    socket.cork();
    socket.write(header, payload.length === 0 ? sent : undefined);
    if (payload.length > 0) socket.write(payload, sent);
    socket.uncork();
  });
}
