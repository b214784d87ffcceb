import type { OffsiteStart } from '@keen-larder/contract/requests/larder/offsite.ts';
import { Problem } from '../failures.ts';
import { copyFolderIn } from './folder-bucket.ts';
import type { BucketPlace } from './s3-bucket.ts';

/** A folder on another disk. */
export interface FolderPlace {
  readonly folder: string;
}

/** Where the copy is, as it is remembered: of a bucket the key may come from the environment. */
export type OffsitePlace =
  | FolderPlace
  | (Omit<BucketPlace, 'accessKeyId' | 'secretAccessKey'> & {
      readonly accessKeyId?: string;
      readonly secretAccessKey?: string;
    });

export const isFolder = (place: OffsitePlace): place is FolderPlace => 'folder' in place;

/** The place that is meant; of a bucket that is used already its key is known. @throws Problem 400 */
export function placeOf(
  { place, folder }: Pick<OffsiteStart, 'place' | 'folder'>,
  before?: OffsitePlace,
): OffsitePlace {
  if (folder !== undefined) return { folder: copyFolderIn(folder) };
  if (!place) throw new Problem(400, 'Name a bucket, or a folder on another disk.');
  if (!before || isFolder(before)) return place;
  const { accessKeyId, secretAccessKey } = before;
  return { ...(accessKeyId && { accessKeyId }), ...(secretAccessKey && { secretAccessKey }), ...place };
}

/** For sentences and headings. */
export function placeText(place: OffsitePlace): string {
  if (isFolder(place)) return `the folder ${place.folder}`;
  const { bucket, prefix, endpoint, region } = place;
  return `the bucket ${bucket}${prefix ? `/${prefix}` : ''} at ${endpoint ? new URL(endpoint).host : region}`;
}

const keyWords = ['KEEN_LARDER_S3_ACCESS_KEY_ID', 'KEEN_LARDER_S3_SECRET_ACCESS_KEY'] as const;

/** A bucket's place with its key, from the environment or as it was given. @throws Problem 422 saying what is missing */
export function withKey(place: Exclude<OffsitePlace, FolderPlace>): BucketPlace {
  const [id, secret] = keyWords.map((name) => process.env[name]);
  const accessKeyId = id ?? place.accessKeyId;
  const secretAccessKey = secret ?? place.secretAccessKey;
  if (!accessKeyId || !secretAccessKey)
    throw new Problem(
      422,
      `The bucket’s access key is missing. Give it here, or set ${keyWords.join(' and ')}.`,
    );
  return { ...place, accessKeyId, secretAccessKey };
}
