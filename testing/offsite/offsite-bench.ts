import { mkdirSync } from 'node:fs';
import { join } from 'node:path';
import { copyStatements } from '../../server/database/copies.ts';
import { openDatabase } from '../../server/database/open.ts';
import { offsiteStatements } from '../../server/database/offsite/offsite.ts';
import { setStatements } from '../../server/database/sets.ts';
import { BucketFailure } from '../../server/failures.ts';
import type { Bucket } from '../../server/offsite/bucket.ts';
import { keptThings } from '../../server/offsite/kept-things.ts';
import { Offsite } from '../../server/offsite/offsite.ts';
import type { ShelfWorkers } from '../../server/shelf/threads/workers.ts';
import { testFolder } from '../folder.ts';
import { LarderBench, type OpenLarder } from '../larder.ts';

export const passphrase = 'quinces in the dark cellar';

/** A larder without phones, and its copy in a bucket. */
export class OffsiteBench {
  readonly bench: LarderBench;
  readonly home: string;
  open!: OpenLarder;
  offsite!: Offsite;

  constructor(
    private readonly bucket: Bucket,
    readonly name: string,
    workers: ShelfWorkers,
  ) {
    this.bench = new LarderBench(testFolder(), workers);
    this.home = join(this.bench.folder.path, 'home');
    mkdirSync(this.home);
  }

  /** @param isOnDisk its catalogue is a file beside the shelf */
  async begin(isOnDisk = false): Promise<this> {
    const path = isOnDisk ? join(this.bench.folder.path, 'catalogue.sqlite') : ':memory:';
    this.open = await this.bench.open(openDatabase(path));
    this.use();
    return this;
  }

  /** As after a start: the bucket is locked. */
  use(): void {
    const { shelf, database } = this.open;
    const [sets, copies] = [setStatements(database), copyStatements(database)];
    this.offsite = new Offsite({
      ...{ home: this.home, shelf, copy: 'bucket', rows: offsiteStatements(database, 'bucket') },
      things: () => keptThings(shelf, sets, copies),
      now: () => this.bench.clock.wall,
      onChange: () => undefined,
      bucketAt: () => this.bucket,
      // The usual one takes most of a second.
      sealCost: { N: 1024, r: 8, p: 1 },
    });
  }

  get request() {
    const place = { region: 'here', bucket: 'shelf', prefix: '', accessKeyId: 'a', secretAccessKey: 'b' };
    return { place, passphrase, benchName: this.name };
  }

  setUp = () => this.offsite.setUp(this.request);

  /** Sends everything that is missing. */
  async sync() {
    const missing = await this.offsite.missing();
    return this.offsite.send(missing, () => undefined, new AbortController().signal);
  }

  /** Fetches everything that only the bucket has; what it cannot give is left out. */
  async fetchAll(): Promise<void> {
    const { fetching } = this.offsite.opened;
    for (const each of await this.offsite.elsewhere()) {
      const thing = await fetching.read(each);
      try {
        await fetching.fetch(fetching.missing(thing));
      } catch (error) {
        if (!(error instanceof BucketFailure)) throw error;
        continue;
      }
      await fetching.enter(thing);
    }
    await this.open.larder.reconcile();
  }

  /** Everything that is kept, read from the shelf: SHA-256 is the reader's own check, bytes are compared by tests. */
  async contents(): Promise<Map<string, Buffer>> {
    const found = new Map<string, Buffer>();
    for (const { id, label } of this.open.larder.list())
      for (const { partition } of this.open.larder.detail(id).images)
        found.set(`${label} ${partition}`, await this.bench.read(this.open, id, partition));
    return found;
  }

  close(): Promise<void> {
    return this.bench.close();
  }
}
