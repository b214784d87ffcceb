import { randomUUID } from 'node:crypto';
import { setTimeout as pause } from 'node:timers/promises';
import type {
  AloneView,
  OffsiteCopy,
  OffsiteSetUp,
  OffsiteThingView,
  OffsiteView,
} from '@keen-larder/contract/larder/offsite.ts';
import type { OffsiteLimits, OffsiteStart } from '@keen-larder/contract/requests/larder/offsite.ts';
import type { OffsiteStatements } from '../database/offsite/offsite.ts';
import { BucketFailure, Problem, SealFailure } from '../failures.ts';
import { changePassphrase, makeSeal, openSeal, type Cost, type OpenSeal } from '../sealing/seal-key.ts';
import { requireLong } from '../sealing/passphrase.ts';
import { printedKey } from '../sealing/recovery-key.ts';
import type { Shelf } from '../shelf/shelf.ts';
import { objectNames, type Bucket } from './bucket.ts';
import { readState, sealIn, sealText } from './bucket-state.ts';
import type { InStep, KeptThing } from './keeping-in-step.ts';
import { readOffsiteFile, removeOffsiteFile, writeOffsiteFile, type OffsiteFile } from './offsite-file.ts';
import { FolderBucket } from './folder-bucket.ts';
import { keyOf, nameOfBench, OpenCopy } from './open-copy.ts';
import { isFolder, placeOf, placeText, withKey, type OffsitePlace } from './place.ts';
import { SealedBucket } from './sealed-bucket.ts';

export interface OffsiteParts {
  readonly copy: OffsiteCopy;
  readonly home: string;
  readonly shelf: Shelf;
  readonly rows: OffsiteStatements;
  readonly things: () => KeptThing[];
  readonly now: () => number;
  readonly onChange: () => void;
  /** What opening a new seal takes; left out for the usual. */
  readonly sealCost?: Cost;
  /** Tests give one in memory. */
  readonly bucketAt?: (place: OffsitePlace) => Bucket;
}

/** A set that is to lie there alone. */
export type Moved = Pick<AloneView, 'id' | 'label' | 'serial' | 'nickname' | 'createdAt' | 'bytes'>;

/** A copy of the larder, in a bucket that several benches may share, or on another disk. */
export class Offsite {
  private file: OffsiteFile | undefined;
  private open: OpenCopy | undefined;
  private comparedAt: number | undefined;
  private fault: string | undefined;
  /** Its disk is not plugged in, as far as was looked. */
  private isAway = false;

  constructor(private readonly parts: OffsiteParts) {
    this.file = readOffsiteFile(parts.home, parts.copy);
  }

  get copy(): OffsiteCopy {
    return this.parts.copy;
  }

  get state(): OffsiteView['state'] {
    return !this.file ? 'off' : this.open ? 'open' : 'locked';
  }

  view(): OffsiteView {
    const { rows, things } = this.parts;
    const kept = rows.kept().filter(({ stamp }) => stamp !== '');
    const all = things();
    const isOffsite = new Set(kept.map(keyOf));
    return {
      copy: this.copy,
      state: this.state,
      place: this.file && placeText(this.file.place),
      isAway: this.isAway,
      benchName: this.file?.bench.name,
      keptCount: all.length,
      offsiteCount: all.filter((thing) => isOffsite.has(keyOf(thing))).length,
      comparedAt: this.comparedAt,
      fault: this.fault,
      since: Object.fromEntries(
        kept.filter(({ kind }) => kind === 'sets').map(({ id, since }) => [id, since]),
      ),
      alone: this.alone(),
      bytesPerSecond: this.file?.bytesPerSecond,
      hours: this.file?.hours,
    };
  }

  /**
   * Takes a bucket into use. A new one is sealed with the passphrase; one that others use already is opened with theirs.
   * @throws Problem, BucketFailure, SealFailure
   */
  async setUp({ passphrase, benchName, ...where }: OffsiteStart): Promise<OffsiteSetUp> {
    const place = placeOf(where, this.file?.place);
    this.requireNothingAlone();
    const bucket = await this.bucketAt(place);
    const found = await sealIn(bucket);
    let recoveryKey: string | undefined;
    let open: OpenSeal;
    if (found) open = await openSeal(found, passphrase);
    else {
      requireLong(passphrase);
      const made = await makeSeal(passphrase, this.parts.sealCost);
      open = made;
      recoveryKey = printedKey(made.recoveryKey);
      await bucket.put(objectNames.seal, sealText(made.seal));
    }
    await this.takeIntoUse(bucket, open, place, { id: randomUUID(), name: benchName });
    return { view: this.view(), recoveryKey };
  }

  /**
   * Takes up a bucket that is in use, in the place of the only bench that uses it: its home was lost. Where there are several, as one more.
   * @throws Problem 404 where nothing is there
   */
  async takeOver({ passphrase, benchName: name, ...where }: OffsiteStart): Promise<void> {
    const place = placeOf(where);
    const bucket = await this.bucketAt(place);
    const seal = await sealIn(bucket);
    if (!seal) throw new Problem(404, `${bucket.place} has no copy of a larder in it.`);
    const open = await openSeal(seal, passphrase);
    const benches = new Set((await readState(bucket)).kept.map(({ bench }) => bench));
    const [only] = benches;
    const bench =
      only === undefined || benches.size > 1
        ? { id: randomUUID(), name }
        : { id: only, name: (await nameOfBench(new SealedBucket(bucket, open), only)) ?? name };
    await this.takeIntoUse(bucket, open, place, bench);
  }

  /** Opens the bucket's seal, until the program ends. @throws SealFailure, Problem 409 */
  async unlock(secret: string): Promise<OffsiteView> {
    const file = this.required();
    this.use(await this.bucketAt(file.place, true), await openSeal(file.seal, secret));
    await this.look();
    this.changed(undefined);
    return this.view();
  }

  /** @throws Problem 409 where it is not open, BucketFailure */
  async changePassphrase(passphrase: string): Promise<void> {
    const { sealed } = this.opened;
    const seal = await changePassphrase(sealed.seal, passphrase);
    await sealed.bucket.put(objectNames.seal, sealText(seal));
    this.file = { ...this.required(), seal };
    await writeOffsiteFile(this.parts.home, this.copy, this.file);
  }

  async setLimits({ bytesPerSecond, hours }: OffsiteLimits): Promise<OffsiteView> {
    const { place, bench, seal } = this.required();
    this.file = { place, bench, seal, ...(bytesPerSecond && { bytesPerSecond }), ...(hours && { hours }) };
    await writeOffsiteFile(this.parts.home, this.copy, this.file);
    this.changed(undefined);
    return this.view();
  }

  /** The bench goes on without it; what is in the bucket stays there. @throws Problem 409 where sets lie there alone */
  turnOff(): OffsiteView {
    this.requireNothingAlone();
    removeOffsiteFile(this.parts.home, this.copy);
    [this.file, this.open, this.isAway] = [undefined, undefined, false];
    this.parts.rows.clear();
    this.changed(undefined);
    return this.view();
  }

  /** Whether it may go on by itself now. @param hour of the day */
  mayGoOn(hour: number): boolean {
    const [from, to] = this.file?.hours ?? [0, 24];
    return this.open !== undefined && (from <= to ? hour >= from && hour < to : hour >= from || hour < to);
  }

  /** What the bucket does not have of the larder, by what it has now. @throws Problem 409, BucketFailure, SealFailure */
  async missing(): Promise<KeptThing[]> {
    return this.told(async () => (await this.opened.keeping.look(this.parts.things())).missing);
  }

  /** Sends what is missing, and removes what is needed no more. */
  send(missing: readonly KeptThing[], passed: (bytes: number) => void, signal: AbortSignal): Promise<InStep> {
    return this.told(async () => {
      const { keeping } = this.opened;
      const done = await keeping.send(missing, passed, signal);
      await keeping.tidy(this.parts.things());
      this.comparedAt = this.parts.now();
      return done;
    });
  }

  /** Where nothing is missing: removes what is needed no more. */
  tidy(): Promise<boolean> {
    return this.told(async () => {
      await this.opened.keeping.tidy(this.parts.things());
      this.comparedAt = this.parts.now();
      return true;
    });
  }

  /** Everything in the bucket that the larder does not have. @throws Problem 409, BucketFailure, SealFailure */
  elsewhere(): Promise<OffsiteThingView[]> {
    return this.opened.elsewhere((fault) => (this.fault = fault));
  }

  /** What this bench has there of a phone, and the larder does not have: of a home that was lost. @throws BucketFailure, SealFailure */
  async unfetchedOf(serial: string): Promise<OffsiteThingView[]> {
    const { bench } = this.required();
    return (await this.elsewhere()).filter((thing) => thing.bench === bench.id && thing.serial === serial);
  }

  /** Sets that lie there alone. */
  alone(): AloneView[] {
    const { rows, things } = this.parts;
    const { file } = this;
    const found = file ? rows.alone() : [];
    if (found.length === 0) return [];
    const here = new Set(things().map(keyOf));
    return found
      .filter(({ id }) => !here.has(keyOf({ kind: 'sets', id })))
      .map((row) => ({ ...row, bench: file!.bench.id }));
  }

  /** @see OpenCopy.prove */
  prove(id: string, passed: (bytes: number) => void, signal: AbortSignal): Promise<void> {
    return this.told(() => this.opened.prove(id, passed, signal));
  }

  /** Whether all of a set is there as it is here, as far as was looked. */
  hasSet(id: string): boolean {
    return this.parts.rows.kept().some((row) => row.kind === 'sets' && row.id === id && row.stamp !== '');
  }

  /** From now on what the copy has of a set stays there, though the larder lets it go. */
  willBeAlone(set: Moved): void {
    this.parts.rows.moved({ ...set, since: this.parts.now() });
  }

  /** The larder has it again. */
  notAlone(id: string): void {
    this.parts.rows.notAlone(id);
    this.parts.onChange();
  }

  /** Nobody wants a set any more that lies there alone: it goes when the copy is brought into step next. @throws Problem 404 */
  giveUp(id: string): void {
    if (!this.alone().some((each) => each.id === id)) throw new Problem(404, 'No such set lies there alone.');
    this.parts.rows.stale('sets', id);
    this.notAlone(id);
  }

  /** Removes chunks that nobody needs here any more from the bucket. @returns how many packs go */
  erase(digests: readonly Buffer[]): Promise<number> {
    return this.told(() => this.opened.keeping.erase(this.parts.things(), digests));
  }

  get isOpen(): boolean {
    return this.open !== undefined;
  }

  /** Looks whether the copy's disk is plugged in; of a bucket that is found out when it is asked. @returns whether it may be there */
  async look(): Promise<boolean> {
    const bucket = this.open?.sealed.bucket;
    const isAway = bucket instanceof FolderBucket && !(await bucket.isThere());
    if (isAway !== this.isAway) {
      this.isAway = isAway;
      this.parts.onChange();
    }
    return !isAway;
  }

  private async bucketAt(place: OffsitePlace, isInUse = false): Promise<Bucket> {
    if (this.parts.bucketAt) return this.parts.bucketAt(place);
    if (isFolder(place)) return new FolderBucket(place.folder, isInUse);
    // The client takes long to load.
    const { S3Bucket } = await import('./s3-bucket.ts');
    return new S3Bucket(withKey(place));
  }

  private async takeIntoUse(
    bucket: Bucket,
    open: OpenSeal,
    place: OffsitePlace,
    bench: OffsiteFile['bench'],
  ): Promise<void> {
    this.file = { place, bench, seal: open.seal };
    this.parts.rows.clear();
    this.use(bucket, open);
    await this.open!.sealed.put(
      objectNames.bench(bench.id),
      Buffer.from(JSON.stringify({ name: bench.name })),
    );
    await writeOffsiteFile(this.parts.home, this.copy, this.file);
    this.changed(undefined);
  }

  private use(bucket: Bucket, seal: OpenSeal): void {
    const { rows, shelf, now, things } = this.parts;
    const sealed = new SealedBucket(bucket, seal);
    const bench = this.file!.bench.id;
    const pace = async (bytes: number) => {
      const limit = this.file?.bytesPerSecond;
      if (limit) await pause((bytes / limit) * 1000);
    };
    this.open = new OpenCopy(sealed, { rows, shelf, now, things, bench, pace });
  }

  /** Notes why something did not succeed. */
  private async told<T>(work: () => Promise<T>): Promise<T> {
    try {
      const value = await work();
      this.changed(undefined);
      return value;
    } catch (error) {
      if (error instanceof BucketFailure || error instanceof SealFailure) this.changed(error.message);
      throw error;
    }
  }

  private changed(fault: string | undefined): void {
    this.fault = fault;
    this.parts.onChange();
  }

  private requireNothingAlone(): void {
    const { length } = this.alone();
    if (length === 0) return;
    const sets = length === 1 ? 'A set lies' : `${length} sets lie`;
    throw new Problem(
      409,
      `${sets} in ${placeText(this.required().place)} alone. Fetch ${length === 1 ? 'it' : 'them'} first, or give ${length === 1 ? 'it' : 'them'} up.`,
    );
  }

  private required(): OffsiteFile {
    if (!this.file)
      throw new Problem(409, `No copy ${copyWords[this.copy]} was set up yet. Say first where it goes.`);
    return this.file;
  }

  /** @throws Problem 409 where it is not */
  get opened(): OpenCopy {
    this.required();
    if (!this.open)
      throw new Problem(409, `The copy ${copyWords[this.copy]} is locked. Give its passphrase first.`);
    return this.open;
  }
}

const copyWords = { bucket: 'in a bucket', disk: 'on a second disk' } as const;
