import type { AdbDaemonConnection, AdbPacketData, AdbPacketInit } from '@yume-chan/adb';
import { Consumable, ReadableStream, type ReadableStreamDefaultController } from '@yume-chan/stream-extra';
import {
  packetHeader,
  packetHeaderOf,
  PacketParser,
  type Packet,
} from '@keen-larder/core/protocols/adb/packet.ts';
import { PayloadPool } from '@keen-larder/core/protocols/adb/payload-pool.ts';
import { greet, type AdbConnection, type AdbCredentials } from '../adb/connect.ts';
import { LateEnds } from '../adb/late-ends.ts';
import { portOf, usbName, type UsbDevice } from './usb-bus.ts';
import { claim, UsbPipe } from './usb-pipe.ts';
import { LinkFailure } from '../../failures.ts';

/**
 * Connects to a phone's adb daemon over USB, without an adb server. A packet is a transfer of its header and, where it
 * has one, a transfer of its payload (AOSP, packages/modules/adb, docs/dev/internals.md).
 * @throws UsbHindered when it cannot be opened
 * @throws LinkFailure
 */
export async function connectUsbAdb(device: UsbDevice, credentials: AdbCredentials): Promise<AdbConnection> {
  const port = portOf(device);
  if (port?.kind !== 'adb') throw new LinkFailure(`${usbName(device)} has no interface of adb.`);
  await claim(device, port);
  const pool = new PayloadPool();
  const link = new UsbAdb(new UsbPipe(device, port), pool, () => device.close());
  return greet(usbName(device), { ...link.ends, pool }, credentials);
}

/** The packets of one USB connection, both ways. */
class UsbAdb {
  private readonly late = new LateEnds<AdbPacketData>();
  private controller: ReadableStreamDefaultController<AdbPacketData> | undefined;
  private isOver = false;
  private ended: () => void = () => undefined;
  readonly ends: {
    readonly connection: AdbDaemonConnection;
    readonly gone: Promise<void>;
    readonly close: () => void;
  };

  constructor(
    private readonly pipe: UsbPipe,
    private readonly pool: PayloadPool,
    private readonly release: () => Promise<void>,
  ) {
    const gone = new Promise<void>((resolve) => (this.ended = resolve));
    const readable = new ReadableStream<AdbPacketData>(
      {
        start: (controller) => void (this.controller = controller),
        pull: () => this.pull(),
        cancel: () => this.end(),
      },
      { highWaterMark: 0 },
    );
    const writable = new Consumable.WritableStream<AdbPacketInit>({
      write: (packet) => this.send(packet),
      close: () => this.end(),
      abort: () => this.end(),
    });
    this.ends = { connection: { readable, writable }, gone, close: () => this.end() };
  }

  /** Hands on the next packet that may be handed on. */
  private async pull(): Promise<void> {
    try {
      for (;;) {
        const { command, arg0, arg1, payload } = await this.receive();
        const next = this.late.came({ command, arg0, arg1, payload });
        if (!next) continue;
        if (!this.isOver) this.controller!.enqueue(next);
        return;
      }
    } catch {
      this.end();
    }
  }

  /** @throws Error when the device is gone @throws FormatError on what is no packet */
  private async receive(): Promise<Packet> {
    const parser = new PacketParser((bytes) => this.pool.take(bytes));
    for (let filled = 0; ;) {
      const space = parser.space();
      const isHeader = filled < packetHeader.bytes;
      // A phone may end a transfer with an empty one, which belongs to nothing.
      const part = await this.pipe.receive(isHeader ? this.pipe.packetBytes : space.length);
      if (part.length > space.length) throw new Error('more came than a packet has');
      space.set(part);
      filled += part.length;
      const packet = part.length > 0 ? parser.took(part.length) : undefined;
      if (packet) return packet;
    }
  }

  private async send(packet: AdbPacketInit): Promise<void> {
    const { payload } = packet;
    try {
      await this.pipe.send(packetHeaderOf(packet, payload.length, packet.checksum));
      if (payload.length > 0) await this.pipe.send(payload);
      await this.pipe.endTransfer(payload.length);
    } catch {
      this.end();
      return;
    }
    const end = this.late.sent(packet);
    if (end && !this.isOver) this.controller!.enqueue(end);
  }

  private end(): void {
    if (this.isOver) return;
    this.isOver = true;
    try {
      this.controller!.close();
    } catch {
      // The reader cancelled first.
    }
    void this.release().catch(() => undefined);
    this.ended();
  }
}
