import { FormatError } from '../../bytes/format-error.ts';
import { layout, u32 } from '../../bytes/layout.ts';

/** adb message header (AOSP packages/modules/adb, protocol.txt), little endian. */
export const packetHeader = layout('adb', {
  command: u32,
  arg0: u32,
  arg1: u32,
  payloadBytes: u32,
  payloadSum: u32, // sum of all payload bytes; 0 from version 0x01000001 on
  magic: u32, // command ^ 0xffffffff
});

/** Commands are their four letters read as a little-endian word. */
export const commands = {
  CNXN: 0x4e584e43,
  AUTH: 0x48545541,
  OPEN: 0x4e45504f,
  OKAY: 0x59414b4f,
  CLSE: 0x45534c43,
  WRTE: 0x45545257,
} as const;

export const protocolVersion = 0x01000001;
export const maxPayloadBytes = 1 << 20;

export interface Packet {
  readonly command: number;
  readonly arg0: number;
  readonly arg1: number;
  readonly payload: Uint8Array;
}

/** Header bytes of a packet whose payload has so many bytes and that sum. */
export function packetHeaderOf(
  { command, arg0, arg1 }: Omit<Packet, 'payload'>,
  payloadBytes: number,
  payloadSum: number,
): Uint8Array {
  const header = new Uint8Array(packetHeader.bytes);
  const magic = (command ^ 0xffffffff) >>> 0;
  packetHeader.write(header, 0, { command, arg0, arg1, payloadBytes, payloadSum, magic });
  return header;
}

/** Header bytes of a packet. The sum is given for short payloads, which older hosts still check. */
export function packetHeaderBytes(
  command: number,
  arg0: number,
  arg1: number,
  payload: readonly Uint8Array[],
): Uint8Array {
  const payloadBytes = payload.reduce((sum, part) => sum + part.length, 0);
  let payloadSum = 0;
  if (payloadBytes <= 4096) for (const part of payload) for (const byte of part) payloadSum += byte;
  return packetHeaderOf({ command, arg0, arg1 }, payloadBytes, payloadSum);
}

/**
 * Cuts a byte stream into packets. A reader that can choose its memory reads into `space()` and tells what came
 * by `took()`, so that a payload's bytes are where they belong at once; `push` copies them there.
 */
export class PacketParser {
  private readonly head = new Uint8Array(packetHeader.bytes);
  private headFilled = 0;
  private current: { command: number; arg0: number; arg1: number; payload: Uint8Array } | undefined;
  private filled = 0;
  private consumed = 0;

  /** @param allocate gives the memory for a payload of so many bytes */
  constructor(private readonly allocate: (bytes: number) => Uint8Array = (bytes) => new Uint8Array(bytes)) {}

  /** Where the next bytes of the stream belong: never empty, and never beyond the packet that they are of. */
  space(): Uint8Array {
    return this.current ? this.current.payload.subarray(this.filled) : this.head.subarray(this.headFilled);
  }

  /**
   * So many bytes came into `space()`. @returns the packet that they completed
   * @throws FormatError on a header that is none; the stream cannot be read on after that
   */
  took(bytes: number): Packet | undefined {
    if (this.current) this.filled += bytes;
    else {
      this.headFilled += bytes;
      if (this.headFilled < this.head.length) return undefined;
      this.current = this.readHeader();
      this.filled = 0;
    }
    const packet = this.current;
    if (this.filled < packet.payload.length) return undefined;
    this.consumed += this.head.length + packet.payload.length;
    this.current = undefined;
    this.headFilled = 0;
    return packet;
  }

  /** @throws FormatError as `took` */
  *push(bytes: Uint8Array): Generator<Packet> {
    for (let at = 0; at < bytes.length;) {
      const space = this.space();
      const part = bytes.subarray(at, at + space.length);
      space.set(part);
      at += part.length;
      const packet = this.took(part.length);
      if (packet) yield packet;
    }
  }

  private readHeader() {
    const header = packetHeader.read(this.head, 0, this.consumed);
    if (header.magic !== (header.command ^ 0xffffffff) >>> 0) {
      throw new FormatError(
        'adb',
        'magic',
        this.consumed + packetHeader.offsetOf('magic'),
        'does not match the command',
      );
    }
    if (header.payloadBytes > maxPayloadBytes) {
      const offset = this.consumed + packetHeader.offsetOf('payloadBytes');
      throw new FormatError('adb', 'payloadBytes', offset, `${header.payloadBytes} bytes`);
    }
    const { command, arg0, arg1, payloadBytes } = header;
    return { command, arg0, arg1, payload: this.allocate(payloadBytes) };
  }
}
