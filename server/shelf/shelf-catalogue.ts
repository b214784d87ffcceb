import type { ChunkStatements } from '../database/chunks.ts';
import type { ShelfStatements } from '../database/shelves.ts';
import type { SealCopy } from './shelf-seal.ts';

/** What of the catalogue is about the shelf itself. */
export interface ShelfCatalogue {
  readonly chunks: ChunkStatements;
  readonly identity: ShelfStatements & SealCopy;
  /** The computer's clock, milliseconds since 1970. */
  readonly now: () => number;
  /** The larder's own time. */
  readonly nowMs: () => number;
}
