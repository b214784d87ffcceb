import type { Duplex } from 'node:stream';
import { createGunzip } from 'node:zlib';
import { CompressStream, DecompressStream } from 'zstd-napi';
import { rangesBytes, rangesHead, rangesTail, type ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import {
  fastest,
  CableChoice,
  type CableCrossed,
  type CableMemory,
  type CableWay,
} from '@keen-larder/core/phone/cable-choice.ts';
import { onePiece } from '@keen-larder/core/bytes/one-piece.ts';
import { LinkFailure, PhoneFailure, PhoneRefusal } from '../../../failures.ts';
import { untilTaken } from '../../../async/in-pairs.ts';
import { through } from '../../../async/through.ts';
import { commands, packers, type Packer } from '../commands.ts';
import type { AdbShell } from '../shell.ts';
import { gzipped } from './gzip-pieces.ts';

/** What one command may name: an argument of Linux has 128 KiB at most. */
const rangesAtOnce = 200;
/** Less is not worth finding out what the phone packs with. */
const worthPackingBytes = 128 << 20;
const outBytes = 1 << 20;
const triedWords = 'larder';
const plainly = { way: 'plain', mostBytes: Infinity } as const;

type Packing = (plain: AsyncIterable<Uint8Array>) => AsyncGenerator<Uint8Array>;
const packed: Record<Packer, Packing> = {
  gzip: gzipped,
  zstd: (plain) => through(new CompressStream({ compressionLevel: 1 }), plain),
};
const unpacked: Record<Packer, () => Duplex> = {
  gzip: () => createGunzip({ chunkSize: outBytes }),
  zstd: () => new DecompressStream(),
};

/**
 * Carries bytes of a phone's nodes over the cable: as they are, or packed by a tool that the phone has, whichever is faster. Bytes go
 * into a node by `dd` alone.
 */
export class AdbCable {
  private reading = new CableChoice();
  private writing = new CableChoice();
  private found: Promise<Packer | undefined> | undefined;
  private crossed: CableCrossed = { bytes: 0, carriedBytes: 0, packedBy: undefined };
  private writesBy: Packer | undefined;
  /** When the last stretch was written, by the clock of stretches. */
  private writtenAt = 0;
  /** The stretch that is being written. */
  private present: { readonly way: CableWay; readonly over: Promise<void> } | undefined;
  /** So long may the stretch be that is being written. */
  stretchBytes = Infinity;
  /** Told what was measured. */
  onMeasured: ((memory: CableMemory) => void) | undefined;

  constructor(private readonly shell: AdbShell) {}

  /** Goes by what was measured before over the same cable. */
  recall({ read, write }: CableMemory): void {
    this.reading = new CableChoice(read);
    this.writing = new CableChoice(write);
  }

  /** Bytes of flash that were read in a second, by the faster way, as far as was measured. */
  get readSpeed(): number | undefined {
    return fastest(this.reading.speeds);
  }

  /** Likewise written; as fast as they were read, until that was measured. */
  get writeSpeed(): number | undefined {
    return fastest(this.writing.speeds) ?? this.readSpeed;
  }

  /** From now on nothing is packed. */
  carryPlainly(): void {
    this.writesBy = undefined;
    this.found = Promise.resolve(undefined);
  }

  /** What crossed since this was last asked. */
  takeCrossed(): CableCrossed {
    const { crossed } = this;
    this.crossed = { bytes: 0, carriedBytes: 0, packedBy: undefined };
    return crossed;
  }

  /** Ranges of a node, one behind the other. */
  async *read(node: string, ranges: readonly ByteRange[], signal?: AbortSignal): AsyncGenerator<Uint8Array> {
    const packer = await this.packerFor(this.reading, rangesBytes(ranges));
    for (let rest = ranges; rest.length > 0;) {
      const { way, mostBytes } = packer ? this.reading.next(rangesBytes(rest)) : plainly;
      const part = rangesHead(rest.slice(0, rangesAtOnce), mostBytes);
      rest = rangesTail(rest, rangesBytes(part));
      const measure = this.stretch(this.reading, way, packer);
      const bytes =
        way === 'packed'
          ? this.unpacked(packer!, node, part, measure, signal)
          : measure.carried(this.shell.stream(commands.readRanges(node, part), { signal }));
      yield* measure.plain(bytes);
      measure.end();
    }
  }

  /** Makes ready to write stretches. @param bytes how many there may be */
  async begin(bytes: number): Promise<void> {
    this.writesBy = await this.packerFor(this.writing, bytes);
    this.stretchBytes = this.writesBy ? this.writing.next(bytes).mostBytes : Infinity;
  }

  /**
   * Feeds a stretch to a node. The next one may begin when its parts are taken: much of it is on its way then (a phone may allow for
   * 32 MiB), so that a stretch is measured from the end of the one before to when it is written, and one that goes another way waits
   * for that: on one cable they would be measured together.
   */
  async feed(
    node: string,
    offset: number,
    parts: AsyncIterable<Uint8Array>,
    signal: AbortSignal,
  ): Promise<void> {
    const { writesBy: packer, stretchBytes: mostBytes } = this;
    const { way } = packer ? this.writing.next(mostBytes) : plainly;
    if (this.present && this.present.way !== way) await this.present.over;
    const measure = this.stretch(this.writing, way, packer);
    const plain = measure.plain(parts);
    const [script, sent] =
      way === 'packed'
        ? [commands.writePackedAt(packer!, node, offset), packed[packer!](plain)]
        : [commands.writeAt(node, offset), plain];
    // Little is given where it packs well, and much is to be written.
    const quiet = way === 'packed' ? { bytes: mostBytes } : {};
    const told = untilTaken(measure.carried(sent), () => {
      if (packer) this.stretchBytes = this.writing.next(mostBytes).mostBytes;
    });
    const over = this.writing.begin(way);
    const feeding = this.shell.feed(script, told, { signal, quiet });
    // What it throws is told to whoever waits for this stretch.
    this.present = { way, over: feeding.catch(() => undefined) };
    try {
      await feeding;
      measure.end(this.writtenAt);
      this.writtenAt = performance.now();
    } catch (error) {
      if (way !== 'packed' || signal.aborted || !(error instanceof PhoneRefusal)) throw error;
      this.carryPlainly();
      throw new LinkFailure(`The phone does not unpack by ${packer} (${error.message}).`, { cause: error });
    } finally {
      over();
    }
  }

  private async *unpacked(
    packer: Packer,
    node: string,
    ranges: readonly ByteRange[],
    measure: Stretch,
    signal?: AbortSignal,
  ): AsyncGenerator<Uint8Array> {
    const script = commands.readRangesPacked(packer, node, ranges);
    // Little comes where it packs well, and much is to be read.
    const quiet = { bytes: rangesBytes(ranges) };
    const given = new AbortController();
    const stop = AbortSignal.any([given.signal, ...(signal ? [signal] : [])]);
    try {
      yield* through(unpacked[packer](), measure.carried(this.shell.stream(script, { signal: stop, quiet })));
    } catch (error) {
      const isRefused = error instanceof PhoneRefusal;
      if (signal?.aborted || (error instanceof PhoneFailure && !isRefused)) throw error;
      this.carryPlainly();
      const what = isRefused
        ? `The phone does not pack by ${packer}`
        : `What the phone packed by ${packer} cannot be unpacked`;
      throw new LinkFailure(`${what} (${(error as Error).message}).`, { cause: error });
    } finally {
      given.abort();
    }
  }

  private stretch(choice: CableChoice, way: CableWay, packer: Packer | undefined): Stretch {
    return new Stretch((bytes, carriedBytes, ms) => {
      const { crossed } = this;
      this.crossed = {
        bytes: crossed.bytes + bytes,
        carriedBytes: crossed.carriedBytes + carriedBytes,
        packedBy: way === 'packed' ? packer : crossed.packedBy,
      };
      choice.measured({ way, bytes, carriedBytes, ms });
      this.onMeasured?.({ read: this.reading.speeds, write: this.writing.speeds });
    });
  }

  private packerFor(choice: CableChoice, bytes: number): Promise<Packer | undefined> {
    const isKnown = choice.best === 'packed';
    // The cable is as fast both ways, and flash that is slower than it takes no more for being sent less.
    const isWorth = bytes >= worthPackingBytes && !this.reading.outrunsPacking;
    return isKnown || isWorth ? this.packer() : Promise.resolve(undefined);
  }

  /** What the phone packs with; found out when first asked. */
  packer(): Promise<Packer | undefined> {
    this.found ??= this.findPacker().catch((error: unknown) => {
      this.found = undefined;
      throw error;
    });
    return this.found;
  }

  /** The best tool that packs as it is unpacked here, and unpacks. */
  private async findPacker(): Promise<Packer | undefined> {
    for (const by of packers) {
      const both = await this.shell.run(this.shell.rooted(commands.packAndUnpackWords(by, triedWords)));
      if (both.exitCode !== 0 || both.stdout !== `${triedWords}\n`) continue;
      try {
        const bytes = await this.shell.bytes(commands.packWords(by, triedWords));
        const words: Uint8Array[] = [];
        for await (const part of through(unpacked[by](), onePiece(bytes))) words.push(part);
        if (Buffer.concat(words).toString() === `${triedWords}\n`) return by;
      } catch (error) {
        if (error instanceof PhoneFailure && !(error instanceof PhoneRefusal)) throw error;
      }
    }
    return undefined;
  }
}

/** Counts one stretch, and how long it took. */
class Stretch {
  private readonly since = performance.now();
  private bytes = 0;
  private carriedBytes = 0;

  constructor(private readonly told: (bytes: number, carriedBytes: number, ms: number) => void) {}

  async *plain(parts: AsyncIterable<Uint8Array>): AsyncGenerator<Uint8Array> {
    for await (const part of parts) {
      this.bytes += part.length;
      yield part;
    }
  }

  async *carried(parts: AsyncIterable<Uint8Array>): AsyncGenerator<Uint8Array> {
    for await (const part of parts) {
      this.carriedBytes += part.length;
      yield part;
    }
  }

  /** @param before when the one before ended, where that may be later than when this one began */
  end(before = this.since): void {
    this.told(this.bytes, this.carriedBytes, performance.now() - Math.max(this.since, before));
  }
}
