import { createHash, randomUUID } from 'node:crypto';
import { createWriteStream } from 'node:fs';
import { mkdir, readdir, rename, rm, writeFile } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { Transform } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { watch, type FSWatcher } from 'chokidar';
import { planCopies } from '@keen-larder/core/apps/import-plan.ts';
import { listText } from '@keen-larder/core/runsheet/run-sheets.ts';
import { planImport } from '@keen-larder/core/larder/import-plan.ts';
import type { ImportsView, ImportView, UploadedView } from '@keen-larder/contract/imports.ts';
import { copyMark, deepestFolder, exists, openBatch, type Batch } from './batch.ts';
import { Problem } from '../failures.ts';

type Entry =
  | { readonly state: 'arriving' | 'looking' }
  | { readonly state: 'ready'; readonly batch: Batch }
  | { readonly state: 'ready'; readonly fault: string };

/** What the watcher was not told of, as of a folder that came while it began to watch, is found within this. */
const sweepMs = 5000;

/** The folder in which files to be imported are found, whoever puts them there. */
export class Incoming {
  readonly folder: string;
  private readonly entries = new Map<string, Entry>();
  private readonly arriving: string;
  private readonly scratch: string;
  private watcher: FSWatcher | undefined;
  private sweeping: NodeJS.Timeout | undefined;
  /** By id, also while something newer of that name arrives. */
  private readonly opened = new Map<string, Batch>();
  private readonly timers = new Map<string, NodeJS.Timeout>();
  /** What this program itself takes away. */
  private readonly closing = new Set<string>();
  private order: Promise<unknown> = Promise.resolve();

  /**
   * @param home folder of the larder
   * @param settledMs a file that did not change for so long has been copied entirely
   */
  constructor(
    private readonly home: string,
    private readonly settledMs: number,
    private readonly changed: () => void,
  ) {
    this.folder = join(home, 'imports');
    this.arriving = join(this.folder, '.arriving');
    this.scratch = join(home, 'imports-unpacked');
  }

  /** Begins to watch. */
  async start(): Promise<void> {
    await rm(this.scratch, { recursive: true, force: true });
    await rm(this.arriving, { recursive: true, force: true });
    await mkdir(this.folder, { recursive: true });
    this.watcher = watch(this.folder, {
      ignored: (path) => path !== this.folder && path.slice(this.folder.length).includes('/.'),
      followSymlinks: false,
    });
    this.watcher.on('all', (_event, path) => this.stir(path.slice(this.folder.length + 1).split('/')[0]!));
    this.sweeping = setInterval(() => void this.sweep(), sweepMs).unref();
  }

  async stop(): Promise<void> {
    clearInterval(this.sweeping);
    await this.watcher?.close();
    for (const timer of this.timers.values()) clearTimeout(timer);
    await this.order.catch(() => undefined);
    for (const batch of this.opened.values()) await batch.close();
  }

  /** @param knownOf partitions of a phone, as far as they are known */
  view(knownOf: (serial: string | undefined) => readonly string[]): ImportsView {
    return {
      folder: this.folder,
      imports: [...this.entries].map(([id, entry]) => viewOf(id, entry, knownOf)),
    };
  }

  /** @throws Problem 404, or 409 when it is not ready */
  batch(id: string): Batch {
    const entry = this.entries.get(id);
    if (!entry) throw new Problem(404, `There is no ${id} in the watched folder.`);
    if (!('batch' in entry)) {
      throw new Problem(409, 'fault' in entry ? entry.fault : `${id} is still being copied or looked at.`);
    }
    return entry.batch;
  }

  /** Begins a copy that a browser hands over; its files follow. */
  async begin(): Promise<{ id: string }> {
    const id = randomUUID();
    await mkdir(join(this.arriving, id), { recursive: true });
    return { id };
  }

  /**
   * Takes one file of such a copy.
   * @throws Problem 400 for a path that leaves the copy, 404 when it was not begun
   */
  async take(id: string, path: string, bytes: AsyncIterable<Uint8Array>): Promise<UploadedView> {
    const target = join(await this.begunCopy(id), ...safeParts(path));
    await mkdir(dirname(target), { recursive: true }).catch(asOddOrder(path));
    const sha256 = createHash('sha256');
    let taken = 0;
    const through = new Transform({
      transform(part: Buffer, _encoding, done) {
        sha256.update(part);
        taken += part.length;
        done(null, part);
      },
    });
    try {
      await pipeline(bytes, through, createWriteStream(target, { flags: 'wx', flush: true }));
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code === 'EEXIST') throw new Problem(409, `${path} came twice.`);
      if ((error as NodeJS.ErrnoException).code !== 'EISDIR') await rm(target, { force: true });
      return asOddOrder(path)(error);
    }
    return { bytes: taken, sha256: sha256.digest('hex') };
  }

  /** Ends a copy: it moves to where imports are found. @param name what to call it */
  async finish(id: string, name: string): Promise<{ id: string }> {
    const copy = await this.begunCopy(id);
    await writeFile(join(copy, copyMark), '');
    const [plain] = safeParts(name).slice(-1);
    for (let n = 1; ; n++) {
      const called = n === 1 ? plain! : `${plain!} (${n})`;
      if (this.entries.has(called) || (await exists(join(this.folder, called)))) continue;
      await rename(copy, join(this.folder, called));
      this.stir(called);
      return { id: called };
    }
  }

  /** Gives up a copy that is under way. */
  async breakOff(id: string): Promise<void> {
    await rm(this.copyOf(id), { recursive: true, force: true });
  }

  /**
   * Looks again, into what a passphrase opens.
   * @throws Problem 404, 409 as `batch`, or 422 where it opens nothing
   */
  async unlock(id: string, passphrase: string): Promise<void> {
    const { locked } = this.batch(id);
    await this.look(id, passphrase);
    const left = this.batch(id).locked;
    if (left.length > 0 && left.length >= locked.length)
      throw new Problem(422, `This passphrase does not open ${listText(left)}. Upper and lower case differ.`);
  }

  /** Removes a copy that a browser made. @throws Problem 409 for what somebody else put there */
  async discard(id: string): Promise<void> {
    const batch = this.batch(id);
    if (!batch.isCopy) throw new Problem(409, `Take ${id} out of ${this.folder} yourself: it is not a copy.`);
    await this.forget(batch);
    await rm(batch.path, { recursive: true });
  }

  /** What has been kept goes: a copy is removed, anything else is moved beside the watched folder. */
  async putAside(id: string): Promise<string> {
    const batch = this.batch(id);
    await this.forget(batch);
    if (batch.isCopy) {
      await rm(batch.path, { recursive: true });
      return 'The copy made for it is removed.';
    }
    const kept = join(this.home, 'imported');
    await mkdir(kept, { recursive: true });
    for (let n = 1; ; n++) {
      const target = join(kept, n === 1 ? id : `${n} ${id}`);
      if (await exists(target)) continue;
      await rename(batch.path, target);
      return `The files now lie in ${target}.`;
    }
  }

  private async forget(batch: Batch): Promise<void> {
    this.closing.add(batch.id);
    this.entries.delete(batch.id);
    this.opened.delete(batch.id);
    await batch.close();
    this.changed();
  }

  /** @throws Problem 404 when it was not begun, or has ended */
  private async begunCopy(id: string): Promise<string> {
    const copy = this.copyOf(id);
    if (!(await exists(copy))) throw new Problem(404, 'There is no such copy. Begin it again.');
    return copy;
  }

  private copyOf(id: string): string {
    if (!/^[0-9a-f-]{36}$/.test(id)) throw new Problem(404, 'There is no such copy.');
    return join(this.arriving, id);
  }

  private async sweep(): Promise<void> {
    const names = await readdir(this.folder).catch(() => []);
    for (const name of names)
      if (!name.startsWith('.') && !this.entries.has(name) && !this.closing.has(name)) this.stir(name);
  }

  /** Something came, grew or went: it is looked at once it has been still for a while. */
  private stir(id: string): void {
    if (!id) return;
    clearTimeout(this.timers.get(id));
    this.timers.set(
      id,
      setTimeout(() => {
        this.timers.delete(id);
        void this.look(id);
      }, this.settledMs),
    );
    if (this.entries.get(id)?.state === 'arriving' || this.closing.has(id)) return;
    this.entries.set(id, { state: 'arriving' });
    this.changed();
  }

  /** Opens what lies there now, one after the other. */
  private look(id: string, passphrase?: string): Promise<unknown> {
    this.order = this.order
      .then(() => this.lookNow(id, passphrase))
      .catch((error: unknown) => {
        this.entries.set(id, { state: 'ready', fault: `It cannot be read: ${(error as Error).message}.` });
        this.changed();
      });
    return this.order;
  }

  private async lookNow(id: string, passphrase?: string): Promise<void> {
    const path = join(this.folder, id);
    const before = this.opened.get(id);
    // It is told late of some things, and of some that changed nothing.
    const isNew = passphrase === undefined;
    if (isNew && before && (await before.isAsItLies().catch(() => false))) {
      this.entries.set(id, { state: 'ready', batch: before });
      return this.changed();
    }
    await before?.close();
    this.opened.delete(id);
    this.closing.delete(id);
    if (!(await exists(path))) {
      this.entries.delete(id);
      return this.changed();
    }
    this.entries.set(id, { state: 'looking' });
    this.changed();
    const batch = await openBatch(id, path, join(this.scratch, randomUUID()), passphrase);
    this.opened.set(id, batch);
    // When it stirred meanwhile, it will be looked at once more.
    if (this.timers.has(id)) return;
    this.entries.set(id, { state: 'ready', batch });
    this.changed();
  }
}

/** File systems count a name's bytes, not its characters; something is left for a number behind it. */
const mostNameBytes = 240;

/**
 * For files that come in an order, or under names, that no folder can have: one thing as a file and as a folder.
 * @throws Problem 409, or the error itself
 */
const asOddOrder =
  (path: string) =>
  (error: unknown): never => {
    const { code = '' } = error as NodeJS.ErrnoException;
    if (['EEXIST', 'ENOTDIR', 'EISDIR', 'ENAMETOOLONG'].includes(code))
      throw new Problem(409, `${path} cannot be taken beside what came before: one of the two is a folder.`);
    throw error;
  };

/** The parts of a path that stays where it belongs. @throws Problem 400 */
function safeParts(path: string): string[] {
  const parts = path.split('/').filter((part) => part !== '');
  const isSafe = (part: string) =>
    Buffer.byteLength(part) <= mostNameBytes && !part.startsWith('.') && !/[\p{Cc}\\:*?"<>|]/u.test(part);
  if (parts.length === 0 || parts.length > deepestFolder || !parts.every(isSafe)) {
    throw new Problem(400, `“${path}” cannot be used as a file's name here. Rename it, then try again.`);
  }
  return parts;
}

function viewOf(
  id: string,
  entry: Entry,
  knownOf: (serial: string | undefined) => readonly string[],
): ImportView {
  const none = {
    id,
    isCopy: false,
    bytes: 0,
    images: [],
    copies: [],
    said: [],
    locked: [],
    suggested: undefined,
    fault: undefined,
  };
  if (!('batch' in entry)) {
    return { ...none, state: entry.state, fault: 'fault' in entry ? entry.fault : undefined };
  }
  const { isCopy, files, parts, descriptions, contents, said, locked, bytes } = entry.batch;
  return {
    id,
    isCopy,
    state: 'ready',
    bytes,
    images: planImport(files, knownOf(contents?.phone.serial), contents),
    copies: planCopies(parts, descriptions),
    said,
    locked,
    suggested: contents && { label: contents.label, note: contents.note, ...contents.phone },
    fault: undefined,
  };
}
