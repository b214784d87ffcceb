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
  const header = new Uint8Array(packetHeader.bytes);
  packetHeader.write(header, 0, {
    command,
    arg0,
    arg1,
    payloadBytes,
    payloadSum,
    magic: (command ^ 0xffffffff) >>> 0,
  });
  return header;
}

/**
 * Cuts a byte stream into packets. Bytes are copied once, into the payload they belong to, so the
 * caller may use its read buffer again at once.
 */
export class PacketParser {
  private readonly head = new Uint8Array(packetHeader.bytes);
  private headFilled = 0;
  private current: { command: number; arg0: number; arg1: number; payload: Uint8Array } | undefined;
  private filled = 0;
  private consumed = 0;

  /** @param allocate gives the memory for a payload of so many bytes */
  constructor(private readonly allocate: (bytes: number) => Uint8Array = (bytes) => new Uint8Array(bytes)) {}

  /** @throws FormatError on a header that is none; the stream cannot be read on after that */
  *push(bytes: Uint8Array): Generator<Packet> {
    for (let at = 0; at < bytes.length || this.isComplete;) {
      if (!this.current) {
        const take = Math.min(this.head.length - this.headFilled, bytes.length - at);
        this.head.set(bytes.subarray(at, at + take), this.headFilled);
        this.headFilled += take;
        at += take;
        if (this.headFilled < this.head.length) return;
        this.current = this.readHeader();
        this.filled = 0;
      }
      const { payload } = this.current;
      const take = Math.min(payload.length - this.filled, bytes.length - at);
      payload.set(bytes.subarray(at, at + take), this.filled);
      this.filled += take;
      at += take;
      if (!this.isComplete) return;
      const packet = this.current;
      this.consumed += this.head.length + payload.length;
      this.current = undefined;
      this.headFilled = 0;
      yield packet;
    }
  }

  private get isComplete(): boolean {
    return this.current !== undefined && this.filled === this.current.payload.length;
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
