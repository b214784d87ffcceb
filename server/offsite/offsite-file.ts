import { existsSync, readFileSync, rmSync } from 'node:fs';
import { chmod, open, rename } from 'node:fs/promises';
import { join } from 'node:path';
import { Problem } from '../failures.ts';
import type { Seal } from '../sealing/seal-key.ts';
import type { BucketPlace } from './s3-bucket.ts';

/** What a bench knows of its bucket; it lies in the home folder, for its owner alone, and in no copy of the catalogue. */
export interface OffsiteFile {
  readonly place: Omit<BucketPlace, 'accessKeyId' | 'secretAccessKey'> & {
    /** Left out where the key comes from the environment. */
    readonly accessKeyId?: string;
    readonly secretAccessKey?: string;
  };
  readonly bench: { readonly id: string; readonly name: string };
  readonly seal: Seal;
  readonly bytesPerSecond?: number;
  readonly hours?: readonly [number, number];
}

const pathIn = (home: string) => join(home, 'offsite.json');

export function readOffsiteFile(home: string): OffsiteFile | undefined {
  const path = pathIn(home);
  return existsSync(path) ? (JSON.parse(readFileSync(path, 'utf8')) as OffsiteFile) : undefined;
}

export async function writeOffsiteFile(home: string, content: OffsiteFile): Promise<void> {
  const path = pathIn(home);
  const file = await open(`${path}.part`, 'w', 0o600);
  try {
    // One that was there before keeps its own.
    await chmod(`${path}.part`, 0o600);
    await file.writeFile(`${JSON.stringify(content, null, 2)}\n`);
    await file.sync();
  } finally {
    await file.close();
  }
  await rename(`${path}.part`, path);
}

export const removeOffsiteFile = (home: string): void => rmSync(pathIn(home), { force: true });

const keyWords = ['KEEN_LARDER_S3_ACCESS_KEY_ID', 'KEEN_LARDER_S3_SECRET_ACCESS_KEY'] as const;

/** The place with its key, from the environment or the file. @throws Problem 422 saying what is missing */
export function placeWithKey({ place }: Pick<OffsiteFile, 'place'>): BucketPlace {
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
