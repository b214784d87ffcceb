import type { Flash } from '../flash/flash.ts';
import { pieceOf } from './dd.ts';
import { deviceAt, type ShellHost } from './host.ts';
import type { Simple } from './parse.ts';

interface Known {
  readonly writes: number;
  readonly digests: Map<string, string>;
}

const known = new WeakMap<Flash, Known>();

/** What is known holds until the flash is written to. */
function digestsOf(flash: Flash): Map<string, string> {
  const before = known.get(flash);
  if (before?.writes === flash.writes) return before.digests;
  const digests = new Map<string, string>();
  known.set(flash, { writes: flash.writes, digests });
  return digests;
}

/**
 * Which piece of a block device `dd … 2>/dev/null | md5sum` digests. A phone has processors of its own: while nothing was written
 * and nothing is wrong with its flash, what such a command printed before is printed again instead of taking the bench computer's.
 */
export class DigestedPiece {
  private constructor(
    private readonly flash: Flash,
    private readonly key: string,
  ) {}

  static of(commands: readonly Simple[], host: ShellHost, uid: number): DigestedPiece | undefined {
    const [reading, digesting, ...more] = commands;
    if (uid !== 0 || more.length > 0 || !reading?.dropErr || reading.dropOut) return undefined;
    const [tool, ...paths] = digesting?.words ?? [];
    if ((tool !== 'md5sum' && tool !== 'sha256sum') || paths.length > 0 || digesting!.dropOut)
      return undefined;
    const [name, ...args] = reading.words;
    const piece = name === 'dd' ? pieceOf(args) : undefined;
    const device = piece && deviceAt(host, piece.path);
    const isWithin = device && piece.offset + piece.bytes <= device.bytes;
    if (!isWithin || host.flash.faults.names.length > 0) return undefined;
    return new DigestedPiece(host.flash, `${tool} ${piece.path} ${piece.offset} ${piece.bytes}`);
  }

  /** What was printed before. */
  get printed(): string | undefined {
    return digestsOf(this.flash).get(this.key);
  }

  /** Passes on what is printed, and knows it from then on, unless the flash changed meanwhile. */
  remembering(out: (bytes: Uint8Array) => Promise<void>): (bytes: Uint8Array) => Promise<void> {
    const { writes } = this.flash;
    return (bytes) => {
      if (this.flash.writes === writes && this.flash.faults.names.length === 0)
        digestsOf(this.flash).set(this.key, Buffer.from(bytes).toString());
      return out(bytes);
    };
  }
}
