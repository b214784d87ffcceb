import { DamagedImage } from '../../../failures.ts';
import type { KeptImage } from '../../../larder/larder.ts';
import type { PartitionAccess } from '../../../links/phone-link.ts';
import type { ImageWriter } from '../../../shelf/image-writer.ts';
import type { Shelf } from '../../../shelf/shelf.ts';
import type { Run } from '../../engine/live-run.ts';
import { segmentsOf } from '../../phone/pieces.ts';

/** What is needed to take an image by pieces. */
export interface ByPieces {
  readonly access: PartitionAccess;
  readonly name: string;
  readonly writer: ImageWriter;
  /** An earlier image of the whole partition, of the same size. */
  readonly base: KeptImage;
  readonly shelf: Shelf;
  readonly run: Pick<Run, 'log' | 'withoutBytes'>;
  readonly signal: AbortSignal;
  /** Told of bytes that need not be read. */
  readonly spared: (bytes: number) => void;
  /** Told of bytes that were read. */
  readonly onStored: (bytes: number) => void;
}

/**
 * Takes the rest of an image: what the phone has as an earlier image does comes from the shelf, the rest over the cable. The
 * phone's digests of pieces only tell where to look; they prove nothing.
 * @returns false where the phone tells none: what is missing then is to be read
 */
export async function takeByPieces(pieces: ByPieces): Promise<boolean> {
  const { access, name, writer, base, shelf, run, signal, onStored } = pieces;
  const kept = { shelf, image: base.image };
  const rest = writer.missing[0]!;
  const segments = await run.withoutBytes(() => segmentsOf(access, name, kept, rest, signal));
  if (!segments) return false;
  try {
    for (;;) {
      const next = await run.withoutBytes(() => segments.next());
      if (next.done) return true;
      const { piece, isSame } = next.value;
      if (!isSame || !(await run.withoutBytes(() => takeKept(pieces, piece.bytes))))
        await writer.take(access.read(name, [piece], signal), onStored);
    }
  } finally {
    await segments.return(undefined);
  }
}

/** Takes bytes from the earlier image. @returns false where it is damaged there */
async function takeKept({ writer, base, spared, run, name }: ByPieces, bytes: number): Promise<boolean> {
  try {
    await writer.takeFrom(base.image, bytes);
  } catch (error) {
    if (!(error instanceof DamagedImage)) throw error;
    run.log(
      `${name}: a part of the image in “${base.label}” is damaged on the shelf. It is read again.`,
      'warning',
    );
    return false;
  }
  spared(bytes);
  return true;
}
