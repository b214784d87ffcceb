import { createHash } from 'node:crypto';
import { stampTexts, type DataFile } from '@keen-larder/core/apps/copies.ts';
import type { DataStamp } from '@keen-larder/core/apps/data-stamp.ts';

const digest = (text: string) => createHash('sha256').update(text).digest('hex');

/** How an app's data looks, in two digests. */
export function stampOf(files: readonly DataFile[]): DataStamp {
  const { full, sizes } = stampTexts(files);
  return { full: digest(full), sizes: digest(sizes) };
}
