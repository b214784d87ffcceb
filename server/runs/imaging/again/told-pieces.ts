import type { ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import { coarseBytes } from '@keen-larder/core/phone/piece-sizes.ts';
import type { Digest } from '../../../links/phone-link.ts';
import { joinPieces, type KnownPieces } from '../../../shelf/piece-digests.ts';

/** What a phone tells of the coarse pieces of a partition while that is taken: where to look the next time. */
export class ToldPieces {
  private readonly digests = new Map<number, Digest>();
  private readonly stopping = new AbortController();

  /** Until then the phone goes on telling. */
  get signal(): AbortSignal {
    return this.stopping.signal;
  }

  readonly take = ({ offset }: ByteRange, digest: Digest): void => {
    if (offset % coarseBytes === 0) this.digests.set(offset / coarseBytes, digest);
  };

  /** What was told is of no use any more. */
  forget(): void {
    this.digests.clear();
  }

  stop(): void {
    this.stopping.abort();
  }

  /** @param own what was digested here on the way */
  with(own: KnownPieces | undefined): KnownPieces | undefined {
    const first = this.digests.values().next().value;
    if (!first) return own;
    const { by } = first;
    const hex = Array.from({ length: Math.max(...this.digests.keys()) + 1 }, (_, i) => {
      const each = this.digests.get(i);
      return each?.by === by ? each.hex : undefined;
    });
    return own ? joinPieces({ by, hex }, own) : { by, hex };
  }
}
