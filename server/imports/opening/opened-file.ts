import type { AppContent } from '@keen-larder/core/apps/import-plan.ts';
import type { ByteSource } from '@keen-larder/core/bytes/source.ts';
import type { TransferList } from '@keen-larder/core/formats/block-update/transfer-list.ts';
import type { IncomingFile } from '@keen-larder/core/larder/import-plan.ts';

/** A file that came, with what it takes to read the image in it. */
export interface OpenedFile extends IncomingFile {
  /** The file as it lies there, which is what checksum files speak of. */
  plain(): AsyncIterable<Uint8Array>;
  /** The image that it holds. */
  image(): AsyncIterable<Uint8Array>;
  /** When it is a sparse image, which may be a part of one. */
  readonly sparse?: ByteSource;
  /** When it belongs to an app. */
  readonly content?: AppContent;
  /** The archive or whole flash that it lies in, as it lies there. */
  readonly outer?: { readonly path: string; plain(): AsyncIterable<Uint8Array> };
  /** What the package that it is of says, a sentence each. */
  readonly said?: readonly string[];
  /** A passphrase opens it, which was not given, or is another one. */
  readonly isLocked?: true;
  /** When it is a part of an update by blocks: its list, or the blocks that are new. */
  readonly updatePart?: {
    /** Path without what tells the parts apart. */
    readonly stem: string;
    readonly list?: TransferList;
    readonly blocks?: ByteSource;
  };
}
