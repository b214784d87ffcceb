import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { FormatError } from '../../bytes/format-error.ts';
import { commands, packetHeaderBytes, PacketParser, type Packet } from './packet.ts';
import { shellHeader, shellIds, ShellParser } from './shell.ts';

/** Cuts bytes at arbitrary places. */
function cut(bytes: Uint8Array, places: number[]): Uint8Array[] {
  const at = [0, ...places.map((place) => place % (bytes.length + 1)).sort((a, b) => a - b), bytes.length];
  return at.slice(1).map((end, i) => bytes.subarray(at[i], end));
}

const join = (parts: Uint8Array[]) => new Uint8Array(Buffer.concat(parts));

describe('adb packets', () => {
  it('come out as they went in, however the stream is cut', () => {
    const payload = fc.uint8Array({ maxLength: 300 });
    fc.assert(
      fc.property(
        fc.array(payload, { maxLength: 6 }),
        fc.array(fc.nat(3000), { maxLength: 12 }),
        (payloads, places) => {
          const stream = join(
            payloads.flatMap((each, i) => [packetHeaderBytes(commands.WRTE, i, 7, [each]), each]),
          );
          const parser = new PacketParser();
          const found: Packet[] = [];
          for (const part of cut(stream, places)) found.push(...parser.push(part));
          expect(found.map(({ arg0, payload: bytes }) => [arg0, [...bytes]])).toEqual(
            payloads.map((each, i) => [i, [...each]]),
          );
        },
      ),
    );
  });

  it('have the published header: command, arguments, length, sum, magic', () => {
    // AOSP packages/modules/adb, protocol.txt: "WRTE" is 0x45545257.
    const header = Buffer.from(packetHeaderBytes(commands.WRTE, 1, 2, [Uint8Array.of(3, 4)]));
    expect(header.toString('latin1', 0, 4)).toBe('WRTE');
    expect([4, 8, 12, 16, 20].map((at) => header.readUInt32LE(at))).toEqual([1, 2, 2, 7, 0xbaabada8]);
  });

  it('are refused when they are none', () => {
    const parser = new PacketParser();
    expect(() => [...parser.push(new TextEncoder().encode('GET / HTTP/1.1\r\nHost: x\r\n'))]).toThrow(
      FormatError,
    );
    const large = Buffer.from(packetHeaderBytes(commands.WRTE, 1, 2, []));
    large.writeUInt32LE(0x7fffffff, 12);
    expect(() => [...new PacketParser().push(large)]).toThrow(/payloadBytes/);
  });

  it('use the memory they are given', () => {
    const memory = new Uint8Array(10);
    const parser = new PacketParser((bytes) => memory.subarray(0, bytes));
    const payload = Uint8Array.of(9, 8, 7);
    const [packet] = [...parser.push(join([packetHeaderBytes(commands.WRTE, 1, 2, [payload]), payload]))];
    expect(packet!.payload.buffer).toBe(memory.buffer);
  });
});

describe('shell frames', () => {
  it('come out in order, however payloads are cut', () => {
    const frame = fc.tuple(
      fc.constantFrom(shellIds.stdout, shellIds.stderr),
      fc.uint8Array({ maxLength: 90 }),
    );
    fc.assert(
      fc.property(
        fc.array(frame, { maxLength: 8 }),
        fc.array(fc.nat(900), { maxLength: 12 }),
        (frames, places) => {
          const stream = join(frames.flatMap(([id, data]) => [shellHeader(id, data.length), data]));
          const parser = new ShellParser();
          const found: Record<number, number[]> = {};
          for (const part of cut(stream, places)) {
            for (const { id, data } of parser.push(part)) (found[id] ??= []).push(...data);
          }
          for (const id of [shellIds.stdout, shellIds.stderr]) {
            expect(found[id] ?? []).toEqual(
              frames.filter(([each]) => each === id).flatMap(([, data]) => [...data]),
            );
          }
        },
      ),
    );
  });
});
