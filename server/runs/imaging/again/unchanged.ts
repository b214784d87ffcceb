import type { PartitionFacts } from '@keen-larder/core/phone/facts.ts';
import { mayBeUnchanged } from '@keen-larder/core/runsheet/run-sheets.ts';
import type { KeptImage } from '../../../larder/kept-pieces.ts';
import type { Larder } from '../../../larder/larder.ts';
import { wholeOf } from '../../../shelf/image-writer.ts';
import { digestsOf } from '../../../shelf/manifest.ts';
import type { Run } from '../../engine/live-run.ts';
import type { PhoneAtWork } from '../../phone/phone-at-work.ts';
import { notReadable } from '../image-proof.ts';
import { DamagedImage } from '../../../failures.ts';
import type { Digest } from '../../../links/phone-link.ts';
import { digestWhole } from '../../../shelf/verify-image.ts';
import { accessOf } from '../../phone/phone-access.ts';

/** What the phone was asked, and what it told. */
export interface Asked {
  /** Digest of the whole partition as the phone computes it; nothing where it cannot read its own flash. */
  readonly told: Digest | undefined;
  /** The image on the shelf that the phone still holds, byte for byte. */
  readonly unchanged: KeptImage | undefined;
}

/**
 * Has the phone digest a partition before it is read, where the shelf has an image that it may still be:
 * what has not changed need not come over the cable again.
 * @returns nothing where it is not worth asking
 */
export async function askWhetherUnchanged(
  { phone, larder, run }: { readonly phone: PhoneAtWork; readonly larder: Larder; readonly run: Run },
  partition: PartitionFacts,
): Promise<Asked | undefined> {
  if (!mayBeUnchanged(partition)) return undefined;
  const { name, bytes } = partition;
  const kept = larder.newestWhole(phone.serial, name, bytes);
  if (!kept) return undefined;
  run.log(`${name}: asking the phone whether it is as in “${kept.label}”.`);
  const told = await run.withoutBytes(() =>
    phone.retry({
      what: `Compare ${name}`,
      attempt: ({ link, signal }) => accessOf(link).digest(name, wholeOf(bytes), signal).catch(notReadable),
    }),
  );
  if (!(await isAsKept(larder, kept, told, run))) return { told, unchanged: undefined };
  if (await larder.shelf.holdsAll(digestsOf(kept.image.chunks))) return { told, unchanged: kept };
  run.log(`${name}: the image in “${kept.label}” is damaged on the shelf. It is read again.`, 'warning');
  return { told, unchanged: undefined };
}

/** Whether the phone's digest is that of a kept image; one that cannot be read is not relied upon. */
async function isAsKept(
  { shelf }: Larder,
  { image }: KeptImage,
  told: Digest | undefined,
  run: Run,
): Promise<boolean> {
  if (told?.by !== 'md5') return told?.hex === image.sha256.toString('hex');
  try {
    return told.hex === (await digestWhole(shelf, image, 'md5', run.signal)).toString('hex');
  } catch (error) {
    if (error instanceof DamagedImage) return false;
    throw error;
  }
}
