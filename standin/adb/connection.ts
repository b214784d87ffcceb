import type { Socket } from 'node:net';
import {
  commands,
  maxPayloadBytes,
  packetHeaderBytes,
  PacketParser,
  protocolVersion,
  type Packet,
} from '@keen-larder/core/protocols/adb/packet.ts';
import { PayloadPool } from '@keen-larder/core/protocols/adb/payload-pool.ts';
import { authTypes } from '@keen-larder/core/protocols/adb/auth.ts';
import type { Cable } from '../phone/cable.ts';
import { readingInto } from '../phone/socket-memory.ts';
import { drained } from '../phone/drained.ts';
import type { Authorisation } from './authorisation.ts';
import type { Service } from './services.ts';
import { AdbStream, windowBytes } from './stream.ts';

/** The phone's end of one adb connection. */
export class AdbConnection {
  private readonly streams = new Map<number, AdbStream>();
  private readonly pool = new PayloadPool();
  private readonly parser = new PacketParser((bytes) => this.pool.take(bytes));
  private nextId = 1;
  private greeted = false;
  /** Both sides know `delayed_ack`. */
  private hasWindows = false;
  private token: Uint8Array | undefined;

  /** That the connection moved to. */
  readonly socket: Socket;

  /**
   * @param accepted paused as it was accepted
   * @param serviceFor the service that an OPEN names; undefined where the phone does not offer it
   * @param authorisation left out where everybody is let in
   */
  constructor(
    accepted: Socket,
    private readonly banner: string,
    private readonly serviceFor: (name: string) => Service | undefined,
    private readonly cable: Cable,
    private readonly authorisation: Authorisation | undefined,
  ) {
    this.socket = readingInto(
      accepted,
      () => this.parser.space(),
      (bytes) => this.receive(bytes),
    );
    this.socket.setNoDelay(true);
    this.socket.on('close', () => this.endAll());
    this.socket.on('error', () => this.socket.destroy());
    this.socket.resume();
  }

  /** Whether the socket may go on at once: a packet comes in parts, which need nothing done. */
  private receive(bytes: number): boolean {
    try {
      const packet = this.parser.took(bytes);
      const passing = this.cable.carry(bytes);
      if (!packet && !passing) return true;
      void this.finish(packet, passing);
    } catch {
      this.socket.destroy();
    }
    return false;
  }

  private async finish(packet: Packet | undefined, passing: Promise<void> | undefined): Promise<void> {
    try {
      await passing;
      if (packet) await this.handle(packet);
      this.socket.resume();
    } catch {
      this.socket.destroy();
    }
  }

  private async handle({ command, arg0, arg1, payload }: Packet): Promise<void> {
    if (command === commands.CNXN) {
      const theirs = Buffer.from(payload).toString().replace(/\0$/, '');
      this.hasWindows = [theirs, this.banner].every((features) => /[=,]delayed_ack(,|$)/.test(features));
      return this.authorisation ? this.challenge() : this.greet();
    }
    if (command === commands.AUTH && this.token) return this.authenticate(arg0, payload);
    if (!this.greeted) throw new Error('a packet before the greeting');
    if (command === commands.OPEN)
      return this.open(arg0, Buffer.from(payload).toString().replace(/\0$/, ''), arg1);
    const stream = this.streams.get(arg1);
    if (command === commands.OKAY) stream?.onAcknowledge(payload);
    else if (command === commands.WRTE) {
      if (stream) stream.onWrite(payload);
      else await this.send(commands.CLSE, 0, arg0, []);
    } else if (command === commands.CLSE && stream) {
      // The daemon answers a close with its own, and hosts wait for it.
      this.streams.delete(arg1);
      stream.onClose();
      await this.send(commands.CLSE, arg1, arg0, []);
    }
  }

  private async greet(): Promise<void> {
    this.greeted = true;
    await this.send(commands.CNXN, protocolVersion, maxPayloadBytes, [Buffer.from(this.banner)]);
  }

  private async challenge(): Promise<void> {
    this.token = this.authorisation!.newToken();
    await this.send(commands.AUTH, authTypes.token, 0, [this.token]);
  }

  /** A signature by a key that is known lets in at once; a key that is not is asked about on the screen. */
  private async authenticate(type: number, payload: Uint8Array): Promise<void> {
    const authorisation = this.authorisation!;
    if (type === authTypes.signature) {
      return (await authorisation.isSigned(this.token!, payload)) ? this.greet() : this.challenge();
    }
    if (type !== authTypes.publicKey) throw new Error('an answer of an unknown kind');
    const gone = new Promise<void>((resolve) => this.socket.once('close', () => resolve()));
    const asked = authorisation.ask(Buffer.from(payload).toString(), gone);
    // The socket is read on meanwhile, so that its end is noticed. A refusal is silence.
    void asked
      .then((isAllowed) => (isAllowed ? this.greet() : undefined))
      // Nobody was asked any more, or the link was gone before it could be greeted.
      .catch(() => this.socket.destroy());
  }

  private async open(remoteId: number, name: string, ahead: number): Promise<void> {
    const service = this.serviceFor(name);
    if (!service) return this.send(commands.CLSE, 0, remoteId, []);
    const localId = this.nextId++;
    const stream = new AdbStream(
      localId,
      remoteId,
      this.send,
      this.hasWindows ? ahead : undefined,
      (payload) => this.pool.giveBack(payload),
    );
    this.streams.set(localId, stream);
    await this.send(commands.OKAY, localId, remoteId, stream.window(windowBytes));
    service(stream).then(
      () => this.streams.delete(localId),
      () => stream.close().catch(() => undefined),
    );
  }

  private readonly send = async (
    command: number,
    arg0: number,
    arg1: number,
    payload: readonly Uint8Array[],
  ): Promise<void> => {
    const header = packetHeaderBytes(command, arg0, arg1, payload);
    await this.cable.carry(header.length + payload.reduce((sum, part) => sum + part.length, 0));
    if (this.socket.destroyed) throw new Error('the link is gone');
    this.socket.cork();
    this.socket.write(header);
    let flushed = true;
    for (const part of payload) flushed = this.socket.write(part);
    this.socket.uncork();
    if (!flushed) await drained(this.socket);
  };

  private endAll(): void {
    for (const stream of this.streams.values()) stream.onClose();
    this.streams.clear();
  }
}
