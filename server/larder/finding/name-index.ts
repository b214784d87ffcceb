import { createHash } from 'node:crypto';
import { posix } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import type { NameIndexView } from '@keen-larder/contract/larder/finding.ts';
import { walkOrder } from '@keen-larder/core/larder/comparing/files.ts';
import type { NamedFile, NamedTree, NameStatements } from '../../database/names/names.ts';
import type { AloneStatements } from '../../database/offsite/offsite.ts';
import type { KeptImageHead, SetStatements } from '../../database/sets.ts';
import type { SettingStatements } from '../../database/shelves.ts';
import { Problem, ShelfFailure } from '../../failures.ts';
import type { CopyStatements, NamedPart } from '../../database/copies.ts';
import type { TreeFile } from '../inside/file-trees.ts';
import type { Inside } from '../inside/inside.ts';

/** Of one processor: names are soon there, checksums of contents may take their time. */
const shares = { names: 0.4, digests: 0.1 } as const;
/** So many names, or so many bytes of contents, are written down at once. */
const batchFiles = 400;
const batchBytes = 32 << 20;
const restMs = 60_000;
const busyMs = 5000;

interface NameIndexParts {
  readonly names: NameStatements;
  readonly sets: SetStatements;
  readonly settings: SettingStatements;
  readonly inside: Inside;
  /** Folders of apps that were copied; all of them are user data. */
  readonly copies: Pick<CopyStatements, 'namedParts'>;
  /** Images of sets that lie in copies alone: what was written down of them stays. */
  readonly alone: Pick<AloneStatements, 'digests'>;
  /** A run is under way: it has the disk to itself. */
  readonly isBusy: () => boolean;
}

/** A place from which an image, or a folder of an app, can be read. */
type Place = Pick<KeptImageHead, 'setId' | 'partition' | 'sha256' | 'isOwn'> | NamedPart;

/**
 * Writes down which files are within the images of the shelf, in the background: first all names, then the checksums of what is in
 * them. Images that are the same are read once. What was begun goes on after any end.
 */
export class NameIndex {
  private readonly ending = new AbortController();
  private running: Promise<void> = Promise.resolve();
  private wake: () => void = () => undefined;
  private todo = 0;
  /** Where each image is that may be read, by digest; undefined when something was kept or removed since. */
  private places: Map<string, Place> | undefined;
  /** Images that cannot be read here, by digest. */
  private alone: ReadonlySet<string> = new Set();

  constructor(private readonly parts: NameIndexParts) {}

  start(): void {
    this.running = this.run();
  }

  async stop(): Promise<void> {
    this.ending.abort();
    this.wake();
    await this.running;
  }

  /** Something was kept or removed. */
  look(): void {
    this.places = undefined;
    this.wake();
  }

  view(): NameIndexView {
    const { names, settings } = this.parts;
    this.places ??= this.bringUpToDate();
    const { files, trees, unread, faults } = names.totals();
    return {
      ...{ files, trees, faults, unread: unread + this.todo - this.waitingElsewhere(this.places) },
      bytes: names.bytes(),
      userData: settings.all().namesUserData,
    };
  }

  /** Whether names within user data are written down; where they are not, those that were are removed. */
  change(userData: boolean): NameIndexView {
    const { names, settings } = this.parts;
    settings.save('namesUserData', userData);
    if (!userData) {
      names.forget(names.own());
      names.shrink();
    }
    this.look();
    return this.view();
  }

  /** Reads everything that is not read yet, without a rest. */
  async readAll(): Promise<void> {
    while (await this.step(() => Promise.resolve()));
  }

  /**
   * Looks into the next image, or reads the next tree.
   * @param rest called between two batches with the share of a processor that the work may have
   * @returns whether there was something
   */
  private async step(rest: (share: number) => Promise<void>): Promise<boolean> {
    const places = (this.places ??= this.bringUpToDate());
    const { names } = this.parts;
    const next = [...places.values()].find(({ sha256 }) => !names.isLookedInto(sha256));
    if (next) {
      await this.lookInto(next);
      this.todo--;
      await rest(shares.names);
      return true;
    }
    const tree = this.firstToRead(places);
    if (!tree) return false;
    const place = places.get(keyOf(tree.sha256));
    if (place) await this.read(tree, place, rest);
    else names.forget([tree.sha256]);
    return true;
  }

  /** Of those that can be read here, or that nobody has any more. */
  private firstToRead(places: ReadonlyMap<string, Place>): NamedTree | undefined {
    for (const tree of this.parts.names.open())
      if (places.has(keyOf(tree.sha256)) || !this.alone.has(keyOf(tree.sha256))) return tree;
    return undefined;
  }

  /** Trees that are to be read when their set is fetched. */
  private waitingElsewhere(places: ReadonlyMap<string, Place>): number {
    let found = 0;
    for (const { sha256 } of this.alone.size > 0 ? this.parts.names.open() : [])
      if (this.alone.has(keyOf(sha256)) && !places.has(keyOf(sha256))) found++;
    return found;
  }

  /** Forgets images that are gone. */
  private bringUpToDate(): Map<string, Place> {
    const { names, sets, copies, alone, settings } = this.parts;
    const own = settings.all().namesUserData;
    const kept = sets.namedImages();
    const ofCopies = copies.namedParts();
    const named = kept.filter(({ isOwn }) => own || !isOwn);
    const places = new Map(
      [...named, ...(own ? ofCopies : [])].map((row): [string, Place] => [keyOf(row.sha256), row]),
    );
    this.alone = new Set(alone.digests().map(keyOf));
    const isKept = new Set([...kept, ...ofCopies].map(({ sha256 }) => keyOf(sha256)).concat(...this.alone));
    const known = names.lookedInto();
    const gone = known.filter((digest) => !isKept.has(keyOf(digest)));
    if (gone.length > 0) names.forget(gone);
    const looked = new Set(known.map(keyOf));
    this.todo = [...places.keys()].filter((key) => !looked.has(key)).length;
    return places;
  }

  private async lookInto(place: Place): Promise<void> {
    const { names, inside } = this.parts;
    if ('copyId' in place) return names.add(place.sha256, [''], true);
    const { setId, partition, sha256, isOwn } = place;
    try {
      const { trees } = await inside.view(setId, partition);
      names.add(sha256, trees, isOwn === 1);
    } catch (error) {
      names.add(sha256, [], isOwn === 1, faultOf(error));
    }
  }

  private async read(tree: NamedTree, place: Place, rest: (share: number) => Promise<void>): Promise<void> {
    const { names, inside } = this.parts;
    const isNaming = tree.state === 'names';
    try {
      const found = await ('copyId' in place
        ? inside.treeOfCopy(place.copyId, place.name)
        : inside.tree(place.setId, place.partition, tree.part));
      if (isNaming) await this.readNames(tree, found.walk(), () => rest(shares.names));
      else await this.readDigests(tree, found.walk(), () => rest(shares.digests));
      names.enter(tree.id, isNaming ? 'digests' : 'whole');
    } catch (error) {
      names.enter(tree.id, 'whole', faultOf(error));
    }
  }

  private async readNames(
    { id, after }: NamedTree,
    walk: AsyncIterable<TreeFile>,
    rest: () => Promise<void>,
  ): Promise<void> {
    let batch: NamedFile[] = [];
    let last = after;
    const write = async () => {
      this.parts.names.addFiles(id, batch, last);
      batch = [];
      await rest();
    };
    for await (const { path, kind, bytes } of walk) {
      if (after !== '' && walkOrder(path, after) <= 0) continue;
      batch.push({ ...placeOf(path), kind, bytes: Number.isSafeInteger(bytes) ? bytes : 0 });
      last = path;
      if (batch.length >= batchFiles) await write();
    }
    await write();
  }

  private async readDigests(
    { id, after }: NamedTree,
    walk: AsyncIterable<TreeFile>,
    rest: () => Promise<void>,
  ): Promise<void> {
    let batch: { folder: string; name: string; sha256: Buffer }[] = [];
    let [last, read] = [after, 0];
    const write = async () => {
      this.parts.names.addDigests(id, batch, last);
      [batch, read] = [[], 0];
      await rest();
    };
    for await (const file of walk) {
      if (file.kind !== 'file' || (after !== '' && walkOrder(file.path, after) <= 0)) continue;
      const hash = createHash('sha256');
      for await (const part of file.content()) {
        hash.update(part);
        this.ending.signal.throwIfAborted();
      }
      batch.push({ ...placeOf(file.path), sha256: hash.digest() });
      last = file.path;
      read += file.bytes;
      if (batch.length >= batchFiles || read >= batchBytes) await write();
    }
    await write();
  }

  private async run(): Promise<void> {
    const { signal } = this.ending;
    let since = performance.now();
    const rest = async (share: number) => {
      signal.throwIfAborted();
      await pause((performance.now() - since) * (1 / share - 1), undefined, { signal, ref: false });
      while (this.parts.isBusy()) await pause(busyMs, undefined, { signal, ref: false });
      since = performance.now();
    };
    try {
      while (!signal.aborted) {
        since = performance.now();
        if (this.parts.isBusy()) await pause(busyMs, undefined, { signal, ref: false });
        // A disk that fails now may answer later.
        else if (!(await this.step(rest).catch(() => signal.aborted))) await this.sleep();
      }
    } catch (error) {
      if (!signal.aborted) throw error;
    }
  }

  /** Until something was kept or removed. */
  private sleep(): Promise<void> {
    return new Promise((resolve) => {
      if (this.ending.signal.aborted) return resolve();
      const timer = setTimeout(resolve, restMs).unref();
      this.wake = () => {
        clearTimeout(timer);
        resolve();
      };
    });
  }
}

const keyOf = (digest: Buffer): string => digest.toString('hex');

const placeOf = (path: string) => ({ folder: posix.dirname(path), name: posix.basename(path) });

/** What of an image keeps its names from being read. @throws what may pass: a shelf that is away, a set that went, an end */
function faultOf(error: unknown): string {
  const mayPass = error instanceof ShelfFailure || error instanceof Problem || 'code' in (error as Error);
  if (mayPass) throw error;
  return (error as Error).message;
}
