import { rangesBytes, rangesText } from '@keen-larder/core/bytes/ranges.ts';
import { durationText, sizeText } from '@keen-larder/core/bytes/units.ts';
import type { PartitionFacts } from '@keen-larder/core/phone/facts.ts';
import type { ProofWay } from '@keen-larder/core/phone/proof-ways.ts';
import { listText } from '@keen-larder/core/runsheet/run-sheets.ts';
import type { ManifestImage } from '../../shelf/manifest.ts';
import type { TakenArchive } from './archive-taking.ts';
import type { TakenImage } from './image-taking.ts';
import type { ImageHead } from './imaging-journal.ts';

export const archiveHead = (
  partition: PartitionFacts,
  { stored, unsettled, proof }: TakenArchive,
): ImageHead => ({
  partition: partition.name,
  kind: 'archive',
  role: partition.role,
  bytes: stored.bytes,
  chunkBytes: stored.chunkBytes,
  sha256: stored.sha256.toString('hex'),
  fileSystem: 'tar',
  ...(unsettled.length > 0 && { unsettled }),
  proof,
});

export function headOf(
  partition: PartitionFacts,
  { stored, ranges, unsettled, proof }: Omit<TakenImage, 'pieces'>,
): ImageHead {
  const isWhole = rangesBytes(ranges) === stored.bytes;
  return {
    partition: partition.name,
    role: partition.role,
    bytes: stored.bytes,
    chunkBytes: stored.chunkBytes,
    sha256: stored.sha256.toString('hex'),
    ...(partition.fileSystem && { fileSystem: partition.fileSystem }),
    ...(partition.usedBytes !== undefined && { usedBytes: partition.usedBytes }),
    ...(!isWhole && { ranges }),
    ...(unsettled.length > 0 && { unsettled }),
    proof,
  };
}

/** What came of an image, as its step says it. */
export const resultText = ({ kind, sha256, ranges, unsettled, proof = 'sha256' }: ImageHead): string =>
  unsettled
    ? `not the same twice at ${rangesText(unsettled)}`
    : `SHA-256 ${sha256}${ranges ? ` of the ${sizeText(rangesBytes(ranges))} in use` : ''}; ${(kind === 'archive' ? archiveProofs : imageProofs)[proof]}`;

const imageProofs: Readonly<Record<ProofWay, string>> = {
  sha256: 'the phone computes the same',
  md5: 'the phone’s MD5 agrees with what is kept',
  'second reading': 'read a second time, it is the same',
};
const archiveProofs: Readonly<Record<ProofWay, string>> = {
  ...imageProofs,
  sha256: 'each file is as the phone digests it',
  'second reading': 'each file is the same when it is read a second time',
};

/** What came of all images. @param notRead partitions that are kept as they were kept before */
export function outcomeText(
  images: readonly ManifestImage[],
  notRead: ReadonlySet<string>,
  elapsedMs: number,
  addedBytes: number,
): string {
  const read = images.filter(({ partition }) => !notRead.has(partition));
  const bytes = read.reduce((sum, each) => sum + (each.ranges ? rangesBytes(each.ranges) : each.bytes), 0);
  const speed = elapsedMs > 0 && notRead.size === 0 ? ` (${sizeText((bytes / elapsedMs) * 1000)}/s)` : '';
  const same = notRead.size > 0 ? `, ${notRead.size} of them unchanged since kept and not read again` : '';
  const kept = `${images.length} ${images.length === 1 ? 'image' : 'images'}${same}, ${sizeText(bytes)} in ${durationText(elapsedMs)}${speed}; ${sizeText(addedBytes)} new on the shelf.`;
  const unsettled = images.filter((each) => each.unsettled);
  const isRead = images.some(({ proof }) => proof === 'second reading');
  if (unsettled.length === 0)
    return `${kept} ${isRead ? 'Read a second time, they are the same.' : 'The phone computes the same digests.'}`;
  const where = unsettled.map((each) => `${each.partition} at ${rangesText(each.unsettled!)}`);
  return `The set is not complete: ${listText(where)} did not come out the same way twice, or not at all. Try another cable and image ${unsettled.length > 1 ? 'them' : 'it'} again; if it stays so, the phone’s flash is worn. ${kept}`;
}
