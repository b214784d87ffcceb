import { layout, u32 } from '@keen-larder/core/bytes/layout.ts';

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
  readonly payload: Buffer;
}

/** Header bytes of a packet. The sum is given for short payloads, which older hosts still check. */
export function headerOf(command: number, arg0: number, arg1: number, payload: readonly Uint8Array[]): Buffer {
  const payloadBytes = payload.reduce((sum, part) => sum + part.length, 0);
  let payloadSum = 0;
  if (payloadBytes <= 4096) for (const part of payload) for (const byte of part) payloadSum += byte;
  const header = Buffer.alloc(packetHeader.bytes);
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

/** Cuts a byte stream into packets. @throws Error on a header that is none */
export class PacketParser {
  private parts: Buffer[] = [];
  private held = 0;

  *push(bytes: Buffer): Generator<Packet> {
    this.parts.push(bytes);
    this.held += bytes.length;
    for (;;) {
      if (this.held < packetHeader.bytes) return;
      const header = packetHeader.read(this.peek(packetHeader.bytes));
      if (header.magic !== (header.command ^ 0xffffffff) >>> 0 || header.payloadBytes > maxPayloadBytes) {
        throw new Error('not an adb packet');
      }
      if (this.held < packetHeader.bytes + header.payloadBytes) return;
      this.take(packetHeader.bytes);
      yield { command: header.command, arg0: header.arg0, arg1: header.arg1, payload: this.take(header.payloadBytes) };
    }
  }

  private peek(bytes: number): Buffer {
    if (this.parts[0]!.length < bytes) this.parts = [Buffer.concat(this.parts)];
    return this.parts[0]!;
  }

  private take(bytes: number): Buffer {
    const taken: Buffer[] = [];
    for (let left = bytes; left > 0; ) {
      const first = this.parts[0]!;
      if (first.length <= left) {
        taken.push(first);
        left -= first.length;
        this.parts.shift();
      } else {
        taken.push(first.subarray(0, left));
        this.parts[0] = first.subarray(left);
        left = 0;
      }
    }
    this.held -= bytes;
    return taken.length === 1 ? taken[0]! : Buffer.concat(taken, bytes);
  }
}
