import { counted } from '../../async/counted.ts';
import type { ImageRow } from '../../database/sets.ts';
import { imageFiles } from '../../larder/export.ts';
import type { Larder } from '../../larder/larder.ts';
import type { FlashingAccess } from '../../links/phone-link.ts';
import type { Passed } from './phone-at-work.ts';

/** Hands an image to a bootloader: as it is when it fits into one download, otherwise in sparse pieces. */
export async function flashImage(
  larder: Larder,
  image: ImageRow,
  onto: string,
  flashing: FlashingAccess,
  passed: Passed,
  signal: AbortSignal,
): Promise<void> {
  const { bytes } = image;
  const splitBytes = await flashing.maxDownloadBytes();
  const pieces = imageFiles(larder, image, { form: bytes > splitBytes ? 'sparse' : 'raw', splitBytes });
  // Holes of a sparse piece pass by without bytes of their own.
  const whole = pieces.reduce((sum, piece) => sum + piece.bytes, 0);
  let sent = 0;
  let told = 0;
  const onSent = (more: number) => {
    sent += more;
    const now = Math.floor((sent / whole) * bytes);
    passed(now - told);
    told = now;
  };
  for (const piece of pieces) {
    const parts = counted(piece.open(), onSent);
    await flashing.flash(onto, { bytes: piece.bytes, parts }, signal);
  }
}
