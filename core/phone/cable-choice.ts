/** How bytes cross a cable: as they are, or packed on one side and unpacked on the other. */
export type CableWay = 'plain' | 'packed';

/** What was measured of one direction, of the bytes as they are on the flash, in bytes per second. */
export interface CableSpeeds {
  readonly plain?: number;
  readonly packed?: number;
  /** What crossed the cable of what was packed last, of each byte. */
  readonly share?: number;
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
const longBytes = 512 << 20;
/** After so much by one way the other is tried again: content changes along a partition, and cables are exchanged. */
const sureBytes = 4 * 1024 ** 3;
/** What packs so well and is slower all the same is held up by the packing, whatever comes next. */
const wellPackedShare = 0.5;
/** Less tells nothing about speed. */
const measurableBytes = 16 << 20;

/**
 * Which way is faster over one cable in one direction, by what was measured: both are tried, the faster one is taken, and
 * the other one is tried again from time to time.
 */
export class CableChoice {
  private sinceTried = 0;
  private known: CableSpeeds = {};

  constructor(recalled: CableSpeeds = {}) {
    this.known = recalled;
  }

  get speeds(): CableSpeeds {
    return this.known;
  }

  /** The faster way, as far as is known. */
  get best(): CableWay {
    const { plain, packed } = this.known;
    return plain !== undefined && packed !== undefined && packed > plain ? 'packed' : 'plain';
  }

  /** How the next stretch is to be carried, and how long it may be. */
  next(): { readonly way: CableWay; readonly mostBytes: number } {
    const { plain, packed, share = 1 } = this.known;
    if (packed === undefined) return { way: 'packed', mostBytes: triedBytes };
    if (plain === undefined) return { way: 'plain', mostBytes: triedBytes };
    const { best } = this;
    if (this.sinceTried >= sureBytes) {
      this.sinceTried = 0;
      const other = best === 'packed' ? 'plain' : 'packed';
      if (other === 'plain' || share > wellPackedShare) return { way: other, mostBytes: triedBytes };
    }
    return { way: best, mostBytes: best === 'packed' ? triedBytes : longBytes };
  }

  /** Takes down how fast a stretch went. */
  measured({ way, bytes, carriedBytes, ms }: Carried): void {
    if (bytes < measurableBytes || ms <= 0) return;
    if (way === this.best) this.sinceTried += bytes;
    const speed = (bytes / ms) * 1000;
    this.known =
      way === 'plain'
        ? { ...this.known, plain: speed }
        : { ...this.known, packed: speed, share: carriedBytes / bytes };
  }
}
