import { isDiskFull } from '../failures.ts';
import type { ShelfFinding } from '../shelf/shelf.ts';
import type { Larder } from './larder.ts';

/** Brings catalogue and manifests together. On a full disk that is done at another start: until then nothing is freed. */
export async function reconciled(larder: Larder): Promise<ShelfFinding[]> {
  try {
    return await larder.reconcile();
  } catch (error) {
    if (!isDiskFull(error)) throw error;
    const text =
      'The disk is full: manifests and catalogue could not be compared. Free some space, then start again.';
    larder.shelf.doubts.add(text);
    return [{ level: 'warning', text }];
  }
}
