import { sizeText } from '../bytes/units.ts';

/** How bytes cross a cable: as they are, or packed on one side and unpacked on the other. */
export type CableWay = 'plain' | 'packed';

/** What was measured of one direction, of the bytes as they are on the flash, in bytes per second. */
export interface CableSpeeds {
  readonly plain?: number;
  readonly packed?: number;
  /** What crossed the cable of what was packed last, of each byte. */
  readonly share?: number;
}

/** What is remembered of a cable. */
export interface CableMemory {
  readonly read: CableSpeeds;
  readonly write: CableSpeeds;
}

/** What crossed a cable. */
export interface CableCrossed {
  /** As they are on the flash. */
  readonly bytes: number;
  readonly carriedBytes: number;
  /** The tool that packed some of them. */
  readonly packedBy: string | undefined;
}

/** A stretch that was carried. */
export interface Carried {
  readonly way: CableWay;
  /** As they are on the flash. */
  readonly bytes: number;
  /** Of them, or of what they were packed into. */
  readonly carriedBytes: number;
  readonly ms: number;
}

const triedBytes = 64 << 20;
/** Content may stop packing well, or begin to: a stretch is no longer than this, or than what crosses in two seconds. */
const stretchBytes = 128 << 20;
const stretchSeconds = 2;
const probeBytes = 32 << 20;
/**
 * Content changes along a partition, and cables are exchanged: the other way is tried again from time to time, which may take so
 * much of all time.
 */
const probingShare = 0.03;
const leastSureBytes = 128 << 20;
const mostSureBytes = 8 * 1024 ** 3;
/** What packs so well and is slower all the same is held up by the packing, whatever comes next; unless processors were busy then. */
const wellPackedShare = 0.5;
/** Packing takes processors at both ends, which have other things to do: it must be faster by a tenth. */
const worthPacking = 1.1;
/** No core of a phone packs so much in a second, and none of a bench much more (gzip -1; measured on one of 2.5 GHz: 50 to 80 MB/s). */
const packedAtMost = 100e6;
/** Less tells nothing about speed. */
const measurableBytes = 16 << 20;

const nothing = { bytes: 0, carriedBytes: 0, ms: 0 };

/**
 * Which way is faster over one cable in one direction, by what was measured: both are tried, the faster one is taken, and
 * the other one is tried again from time to time.
 */
export class CableChoice {
  private sinceTried = 0;
  private readonly short = { plain: nothing, packed: nothing };
  private known: CableSpeeds = {};
  /** Stretches that began and were not measured yet. */
  private readonly underWay: Record<CableWay, number> = { plain: 0, packed: 0 };

  constructor(recalled: CableSpeeds = {}) {
    this.known = recalled;
  }

  get speeds(): CableSpeeds {
    return this.known;
  }

  /** The faster way, as far as is known. */
  get best(): CableWay {
    const { plain, packed } = this.known;
    const isFaster = plain !== undefined && packed !== undefined && packed > plain * worthPacking;
    return isFaster ? 'packed' : 'plain';
  }

  /** Whether the cable carries more, as it is, than is packed in the same time. */
  get outrunsPacking(): boolean {
    const { plain, packed } = this.known;
    return packed === undefined && plain !== undefined && plain >= packedAtMost;
  }

  /**
   * How the next stretch is to be carried, and how long it may be.
   * @param bytes how many are left at most
   */
  next(bytes: number): { readonly way: CableWay; readonly mostBytes: number } {
    const { best } = this;
    if (bytes < measurableBytes) return { way: best, mostBytes: Infinity };
    const { plain, packed, share = 1 } = this.known;
    const isTried = (way: CableWay) => this.underWay[way] > 0;
    if (plain === undefined && !isTried('plain')) return { way: 'plain', mostBytes: triedBytes };
    if (this.outrunsPacking) return { way: 'plain', mostBytes: Infinity };
    // Less of what may be the slower one by far.
    if (plain === undefined || packed === undefined) return { way: 'packed', mostBytes: probeBytes };
    const [other, slower] =
      best === 'packed' ? (['plain', packed / plain] as const) : (['packed', plain / packed] as const);
    const isHeldUp = other === 'packed' && share <= wellPackedShare;
    const sureBytes = isHeldUp
      ? mostSureBytes
      : Math.min(Math.max((probeBytes * (slower - 1)) / probingShare, leastSureBytes), mostSureBytes);
    const isDue = this.sinceTried >= sureBytes && !isTried(other);
    if (isDue) return { way: other, mostBytes: probeBytes };
    const wholeMebibytes = Math.floor((Math.max(plain, packed) * stretchSeconds) / 2 ** 20) * 2 ** 20;
    return { way: best, mostBytes: Math.max(stretchBytes, wholeMebibytes) };
  }

  /** A stretch begins, while the one before may not be over yet. @returns to be called when it is over */
  begin(way: CableWay): () => void {
    this.underWay[way]++;
    return () => this.underWay[way]--;
  }

  /** Takes down how fast a stretch went; short ones count together. */
  measured(stretch: Carried): void {
    const before = this.short[stretch.way];
    const bytes = before.bytes + stretch.bytes;
    const carriedBytes = before.carriedBytes + stretch.carriedBytes;
    const ms = before.ms + stretch.ms;
    if (bytes < measurableBytes || ms <= 0) {
      this.short[stretch.way] = { bytes, carriedBytes, ms };
      return;
    }
    this.short[stretch.way] = nothing;
    this.sinceTried = stretch.way === this.best ? this.sinceTried + bytes : 0;
    const speed = (bytes / ms) * 1000;
    this.known =
      stretch.way === 'plain'
        ? { ...this.known, plain: speed }
        : { ...this.known, packed: speed, share: carriedBytes / bytes };
  }
}

/** By the faster way, as far as it was measured. */
export const fastest = ({ plain, packed }: CableSpeeds): number | undefined =>
  plain === undefined && packed === undefined ? undefined : Math.max(plain ?? 0, packed ?? 0);

/** Less tells nothing: the first of it waits in memory, and asking a phone takes a moment. */
const tellingBytes = 128 << 20;
const tellingSeconds = 0.5;

/** What was done of an image that is taken, or put back, by pieces. */
export interface ByPiecesSoFar {
  /** What the phone has as the image on the shelf does. */
  readonly sameBytes: number;
  /** How long that took: to be found out, and to be taken from the shelf. What differs has to cross either way. */
  readonly ms: number;
}

/**
 * Whether a partition is read, or written, sooner as a whole, as on a cable that is faster than this computer: what is the same takes
 * longer to be compared, and to come from the shelf, than to cross.
 * @param cableSpeed bytes in a second, where that was measured
 */
export function isWholeSooner({ sameBytes, ms }: ByPiecesSoFar, cableSpeed: number | undefined): boolean {
  if (cableSpeed === undefined || sameBytes < Math.max(tellingBytes, tellingSeconds * cableSpeed))
    return false;
  return (sameBytes / cableSpeed) * 1000 < ms;
}

/** What crossed, for the log; undefined where nothing was packed. */
export const crossedWords = (
  what: string,
  { bytes, carriedBytes, packedBy }: CableCrossed,
): string | undefined =>
  packedBy &&
  `${what}: ${sizeText(bytes)} crossed the cable as ${sizeText(carriedBytes)}, packed by ${packedBy} where that is faster.`;
