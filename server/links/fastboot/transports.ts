import type { Socket } from 'node:net';
import {
  handshake,
  maxCommandBytes,
  messageLength,
  MessageParser,
} from '@keen-larder/core/protocols/fastboot/fastboot-messages.ts';
import { portOf, usbName, type UsbDevice } from '../usb/usb-bus.ts';
import { claim, UsbPipe } from '../usb/usb-pipe.ts';
import { connectTcp } from '../tcp.ts';
import { LinkFailure } from '../../failures.ts';

/** What carries fastboot's messages. */
export interface FastbootTransport {
  /** Resolves when it is gone, whoever ended it. */
  readonly gone: Promise<void>;
  /** Told each answer as it comes. */
  listen(heard: (answer: Uint8Array) => void): void;
  /** @throws Error when it is gone */
  command(bytes: Uint8Array): Promise<void>;
  /** A part of what was announced; resolves when more may be given. @throws Error when it is gone */
  data(bytes: Uint8Array): Promise<void>;
  /** All that was announced has been given. @throws Error when it is gone */
  endData(): Promise<void>;
  close(): void;
}

/** Over TCP, where each message has its length before it. @param address `host:port` @throws NobodyThere */
export const fastbootOverTcp = async (address: string): Promise<FastbootTransport> =>
  new TcpTransport(await connectTcp(address));

class TcpTransport implements FastbootTransport {
  readonly gone: Promise<void>;
  private readonly parser = new MessageParser(maxCommandBytes);

  constructor(private readonly socket: Socket) {
    socket.setNoDelay(true);
    socket.write(handshake);
    this.gone = new Promise((resolve) => socket.once('close', () => resolve()));
  }

  listen(heard: (answer: Uint8Array) => void): void {
    this.socket.on('data', (bytes) => {
      try {
        for (const message of this.parser.push(bytes)) heard(message);
      } catch {
        this.close();
      }
    });
  }

  command(bytes: Uint8Array): Promise<void> {
    this.socket.write(Buffer.concat([messageLength(bytes.length), bytes]));
    return Promise.resolve();
  }

  async data(bytes: Uint8Array): Promise<void> {
    this.socket.write(messageLength(bytes.length));
    if (this.socket.write(new Uint8Array(bytes))) return;
    let drained = () => undefined as void;
    const drain = new Promise<void>((resolve) => this.socket.once('drain', (drained = resolve)));
    await Promise.race([drain, this.gone]).finally(() => this.socket.off('drain', drained));
  }

  endData(): Promise<void> {
    return Promise.resolve();
  }

  close(): void {
    this.socket.destroy();
  }
}

/** Data goes out in transfers of this size: bootloaders count bytes, and some take a short packet for the end. */
const transferBytes = 256 * 1024;
/** The longest answer (AOSP system/core/fastboot, README). */
const answerBytes = 256;

/** Over USB, where each message is a transfer. @throws UsbHindered */
export async function fastbootOverUsb(device: UsbDevice): Promise<FastbootTransport> {
  const port = portOf(device);
  if (port?.kind !== 'fastboot') throw new LinkFailure(`${usbName(device)} has no interface of fastboot.`);
  await claim(device, port);
  return new UsbTransport(device, new UsbPipe(device, port));
}

class UsbTransport implements FastbootTransport {
  readonly gone: Promise<void>;
  private ended: () => void = () => undefined;
  private isOver = false;
  /** Of the data, less than a transfer. */
  private readonly held = new Uint8Array(transferBytes);
  private heldBytes = 0;

  constructor(
    private readonly device: UsbDevice,
    private readonly pipe: UsbPipe,
  ) {
    this.gone = new Promise((resolve) => (this.ended = resolve));
  }

  listen(heard: (answer: Uint8Array) => void): void {
    const most = Math.max(answerBytes, this.pipe.packetBytes);
    void (async () => {
      try {
        while (!this.isOver) {
          const answer = await this.pipe.receive(most);
          if (answer.length > 0) heard(answer);
        }
      } catch {
        // Unplugged, or closed here.
      }
      this.close();
    })();
  }

  command(bytes: Uint8Array): Promise<void> {
    return this.orClosed(this.pipe.send(bytes));
  }

  async data(bytes: Uint8Array): Promise<void> {
    for (let at = 0; at < bytes.length;) {
      const part = bytes.subarray(at, at + transferBytes - this.heldBytes);
      this.held.set(part, this.heldBytes);
      this.heldBytes += part.length;
      at += part.length;
      if (this.heldBytes === transferBytes) await this.endData();
    }
  }

  async endData(): Promise<void> {
    const bytes = this.held.slice(0, this.heldBytes);
    this.heldBytes = 0;
    if (bytes.length > 0) await this.orClosed(this.pipe.send(bytes));
  }

  close(): void {
    if (this.isOver) return;
    this.isOver = true;
    void this.device.close().catch(() => undefined);
    this.ended();
  }

  private async orClosed(sent: Promise<void>): Promise<void> {
    try {
      await sent;
    } catch (error) {
      this.close();
      throw error;
    }
  }
}
