import { FormatError } from '../../bytes/format-error.ts';
import { plainText } from '../../bytes/lines.ts';
import { joinBytes } from '../../bytes/join.ts';
import { ascii, layout, u16, u32, u64 } from '../../bytes/layout.ts';

/** Before every message of the simulated processors' loader; see docs/loader-protocol.md. Little endian. */
export const loaderHeader = layout('loader', {
  magic: ascii(4), // "QLDR"
  operation: u16,
  status: u16, // of an answer; 0 is well
  payloadBytes: u32,
});
export const loaderMagic = 'QLDR';
export const maxLoaderPayload = 1 << 20;

export const operations = {
  hello: 1,
  read: 2,
  digest: 3,
  write: 4,
  restart: 5,
  data: 6,
  battery: 7,
} as const;
export const statuses = {
  well: 0,
  unknownOperation: 1,
  outOfRange: 2,
  flashFault: 3,
  badRequest: 4,
  cannotWrite: 5,
} as const;

/** One stretch of a region; `read` and `digest` take any number of them, `write` one with its bytes behind it. */
export const stretch = layout('loader', { region: ascii(16), offset: u64, bytes: u64 });

/** The most that one `write` takes. */
export const maxLoaderWrite = maxLoaderPayload - stretch.bytes;

const mostSerialChars = 64;

/** What `hello` answers, as JSON. */
export interface LoaderHello {
  readonly chip: string;
  readonly serial: string;
  readonly regions: readonly {
    readonly name: string;
    readonly bytes: number;
    readonly sectorBytes: number;
  }[];
}

/** @throws FormatError for anything that no processor says of itself */
export function parseHello(text: string): LoaderHello {
  const bad = (what: string) => new FormatError('loader', 'hello', 0, what);
  let told: Partial<LoaderHello>;
  try {
    told = (JSON.parse(text) ?? {}) as Partial<LoaderHello>;
  } catch {
    throw bad('no JSON');
  }
  const { chip, serial, regions } = told;
  if (typeof chip !== 'string' || typeof serial !== 'string' || !Array.isArray(regions))
    throw bad('no chip, serial or regions');
  const isSize = (value: unknown) => Number.isSafeInteger(value) && (value as number) > 0;
  for (const each of regions as readonly unknown[]) {
    const { name, bytes, sectorBytes } = (each ?? {}) as Partial<LoaderHello['regions'][number]>;
    if (typeof name !== 'string' || !isSize(bytes) || !isSize(sectorBytes))
      throw bad('a region without name or size');
  }
  return { chip: plainText(chip), serial: plainText(serial, mostSerialChars), regions };
}

export interface LoaderMessage {
  readonly operation: number;
  readonly status: number;
  readonly payload: Uint8Array;
}

export function loaderHeaderBytes(operation: number, status: number, payloadBytes: number): Uint8Array {
  const bytes = new Uint8Array(loaderHeader.bytes);
  loaderHeader.write(bytes, 0, { magic: loaderMagic, operation, status, payloadBytes });
  return bytes;
}

/** Cuts a byte stream into messages. */
export class LoaderParser {
  private held: Uint8Array[] = [];
  private heldBytes = 0;
  /** Nothing can be whole before so many bytes are held. */
  private needed = loaderHeader.bytes;

  /** @throws FormatError on anything that is no message */
  *push(bytes: Uint8Array): Generator<LoaderMessage> {
    this.held.push(bytes);
    this.heldBytes += bytes.length;
    if (this.heldBytes < this.needed) return;
    const all = joinBytes(this.held);
    let at = 0;
    this.needed = loaderHeader.bytes;
    while (all.length - at >= loaderHeader.bytes) {
      const { magic, operation, status, payloadBytes } = loaderHeader.read(all, at);
      if (magic !== loaderMagic) throw new FormatError('loader', 'magic', at, `no "${loaderMagic}" here`);
      if (payloadBytes > maxLoaderPayload) {
        throw new FormatError('loader', 'payloadBytes', at, `${payloadBytes} bytes`);
      }
      const end = at + loaderHeader.bytes + payloadBytes;
      if (all.length < end) {
        this.needed = loaderHeader.bytes + payloadBytes;
        break;
      }
      yield { operation, status, payload: all.slice(at + loaderHeader.bytes, end) };
      at = end;
    }
    this.held = [all.slice(at)];
    this.heldBytes = all.length - at;
  }
}
