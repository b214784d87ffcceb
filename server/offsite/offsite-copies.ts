import {
  offsiteCopies,
  type OffsiteCopy,
  type OffsiteSetUp,
  type OffsiteThingView,
  type OffsiteView,
  type OffsiteViews,
} from '@keen-larder/contract/larder/offsite.ts';
import type { OffsiteStart } from '@keen-larder/contract/requests/larder/offsite.ts';
import { callItDisk, offsiteStatements } from '../database/offsite/offsite.ts';
import type { Database } from '../database/open.ts';
import { tellDiskFromBucket } from './offsite-file.ts';
import { Offsite, type OffsiteParts } from './offsite.ts';

/** The copies of the larder elsewhere: one in a bucket, one on another disk, each by itself. */
export class OffsiteCopies {
  readonly bucket: Offsite;
  readonly disk: Offsite;

  constructor(database: Database, parts: Omit<OffsiteParts, 'copy' | 'rows'>) {
    if (tellDiskFromBucket(parts.home)) callItDisk(database);
    const of = (copy: OffsiteCopy) =>
      new Offsite({ ...parts, copy, rows: offsiteStatements(database, copy) });
    [this.bucket, this.disk] = [of('bucket'), of('disk')];
  }

  of(copy: OffsiteCopy): Offsite {
    return this[copy];
  }

  get all(): readonly Offsite[] {
    return offsiteCopies.map((copy) => this[copy]);
  }

  /** Those that are in use, locked or open. */
  get inUse(): readonly Offsite[] {
    return this.all.filter(({ state }) => state !== 'off');
  }

  /** Of both: locked where one of them is. */
  get state(): OffsiteView['state'] {
    const states = this.all.map(({ state }) => state);
    return states.includes('locked') ? 'locked' : states.includes('open') ? 'open' : 'off';
  }

  views(): OffsiteViews {
    return { bucket: this.bucket.view(), disk: this.disk.view() };
  }

  /** Takes a bucket or a folder into use. See `Offsite.setUp`. */
  setUp(start: OffsiteStart): Promise<OffsiteSetUp> {
    return this.of(start.folder === undefined ? 'bucket' : 'disk').setUp(start);
  }

  get isOpen(): boolean {
    return this.all.some(({ isOpen }) => isOpen);
  }

  /** Puts chunks that are damaged on the shelf there anew, from whichever copy has them. @returns how many one had */
  async repair(digests: readonly Buffer[]): Promise<number> {
    let left = [...digests];
    let failure: unknown;
    for (const copy of this.all.filter(({ isOpen }) => isOpen)) {
      if (left.length === 0) break;
      try {
        left = await copy.opened.repair(left);
      } catch (error) {
        failure ??= error;
      }
    }
    if (failure !== undefined && left.length > 0) throw failure as Error;
    return digests.length - left.length;
  }

  /** See `Offsite.erase`. */
  async erase(digests: readonly Buffer[]): Promise<number> {
    let packs = 0;
    for (const copy of this.inUse) packs += await copy.erase(digests);
    return packs;
  }

  /** See `Offsite.unfetchedOf`. */
  async unfetchedOf(serial: string): Promise<OffsiteThingView[]> {
    const found = await Promise.all(this.inUse.map((copy) => copy.unfetchedOf(serial)));
    return found.flat();
  }
}
