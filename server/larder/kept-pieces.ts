import type { ImageRow, SetStatements } from '../database/sets.ts';
import { isDiskFull } from '../failures.ts';
import type { KnownPieces } from '../shelf/piece-digests.ts';

/** An image, and what its set is called. */
export interface KeptImage {
  readonly label: string;
  readonly image: ImageRow;
  /** Digests of its pieces, as far as they are known. */
  readonly pieces?: KnownPieces | undefined;
}

/** Digests of pieces of kept images, as far as they came to be known; they go with the last image that has them. */
export class KeptPieces {
  constructor(private readonly sets: Pick<SetStatements, 'pieces' | 'savePieces'>) {}

  of({ sha256 }: Pick<ImageRow, 'sha256'>): KnownPieces | undefined {
    return this.sets.pieces(sha256);
  }

  remember(sha256: Buffer, known: KnownPieces): void {
    try {
      this.sets.savePieces(sha256, known);
    } catch (error) {
      // They are computed again when they are wanted.
      if (!isDiskFull(error)) throw error;
    }
  }
}
