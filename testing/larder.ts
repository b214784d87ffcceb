import { randomUUID } from 'node:crypto';
import { join } from 'node:path';
import { roleOf } from '../core/phone/roles.ts';
import { chunkStatements } from '../server/database/chunks.ts';
import { copyStatements } from '../server/database/copies.ts';
import { openDatabase, type Database } from '../server/database/open.ts';
import { phoneStatements } from '../server/database/phones.ts';
import { setStatements } from '../server/database/sets.ts';
import { larderTimeStatements, shelfStatements } from '../server/database/shelves.ts';
import { unfinishedStatements } from '../server/database/unfinished.ts';
import { Feed } from '../server/events/feed.ts';
import { AppCopies, RecordCopies } from '../server/larder/copies.ts';
import { LarderTime } from '../server/larder/larder-time.ts';
import { Larder } from '../server/larder/larder.ts';
import { readImage } from '../server/shelf/image-reader.ts';
import { unpackChunkList, type ManifestImage } from '../server/shelf/manifest.ts';
import { SetWriter } from '../server/shelf/set-writer.ts';
import { Shelf } from '../server/shelf/shelf.ts';
import { ShelfWorkers } from '../server/shelf/threads/workers.ts';
import { testFolder } from './folder.ts';

/** A clock that a test sets: what the computer says, and how long it runs. */
export interface TestClock {
  wall: number;
  monotonic: number;
}

/** An image that comes in parts. */
export interface ImageSource {
  readonly partition: string;
  readonly bytes: number;
  readonly content: AsyncIterable<Uint8Array>;
}

export interface OpenLarder {
  readonly larder: Larder;
  readonly shelf: Shelf;
  readonly database: Database;
  readonly time: LarderTime;
  /** What was found when it was opened. */
  readonly texts: readonly string[];
}

/** Larders without phones, on one shelf. */
export class LarderBench {
  readonly shelfPath: string;
  readonly workers: ShelfWorkers;
  readonly clock: TestClock = { wall: Date.UTC(2026, 10, 1), monotonic: 0 };
  private readonly opened: OpenLarder[] = [];

  /** @param folder that the shelf lies in @param workers shared with others, who close them */
  constructor(
    readonly folder = testFolder(),
    private readonly shared?: ShelfWorkers,
  ) {
    this.workers = shared ?? new ShelfWorkers();
    this.shelfPath = join(folder.path, 'shelf');
  }

  /** Opens a larder on the shelf, with a catalogue of its own unless one is given. */
  async open(database: Database = openDatabase(':memory:')): Promise<OpenLarder> {
    const chunks = chunkStatements(database);
    const now = () => this.clock.wall;
    const time = new LarderTime(larderTimeStatements(database), now, () => this.clock.monotonic);
    const catalogue = { chunks, identity: shelfStatements(database), now, nowMs: () => time.nowMs };
    const found = await Shelf.open(this.shelfPath, 'Bench disk', catalogue, this.workers);
    const { shelf } = found;
    const statements = copyStatements(database);
    const forCopies = { shelf, statements, phones: phoneStatements(database), feed: new Feed(1), now, time };
    const larder = new Larder({
      ...forCopies,
      sets: setStatements(database),
      chunks,
      unfinished: unfinishedStatements(database),
      copies: new AppCopies(forCopies),
      records: new RecordCopies(forCopies),
    });
    const findings = [...found.findings, ...(await larder.reconcile())];
    const open = { larder, shelf, database, time, texts: findings.map(({ text }) => text) };
    this.opened.push(open);
    return open;
  }

  /** Lets time pass, as a clock that is right and a program that runs know it. */
  pass(ms: number): void {
    this.clock.wall += ms;
    this.clock.monotonic += ms;
  }

  /** Keeps images as a set; resolves to its id. */
  keep(
    open: Pick<OpenLarder, 'larder' | 'shelf'>,
    label: string,
    images: Record<string, Uint8Array>,
    serial?: string,
  ): Promise<string> {
    const sources = Object.entries(images).map(([partition, bytes]) => ({
      partition,
      bytes: bytes.length,
      content: inPieces(bytes),
    }));
    return this.keepAll(open, label, sources, serial);
  }

  /** Keeps images that come in parts as a set; resolves to its id. */
  async keepAll(
    { larder, shelf }: Pick<OpenLarder, 'larder' | 'shelf'>,
    label: string,
    images: readonly ImageSource[],
    serial = 'TW3K-10482',
  ): Promise<string> {
    return larder.whileWriting(async () => {
      const writer = new SetWriter(shelf);
      const listed: ManifestImage[] = [];
      try {
        for (const { partition, bytes, content } of images) {
          const image = writer.image(bytes);
          await image.take(content);
          const stored = await image.finish();
          listed.push({
            partition,
            role: roleOf(partition),
            bytes: stored.bytes,
            chunkBytes: stored.chunkBytes,
            sha256: stored.sha256.toString('hex'),
            chunks: unpackChunkList(stored.chunks),
          });
        }
        await writer.seal();
      } catch (error) {
        await writer.discard();
        throw error;
      }
      const id = randomUUID();
      this.pass(60_000);
      await larder.add({
        id,
        label,
        note: '',
        phone: { serial, maker: 'Tidewell', model: 'Knot 3', nickname: 'Ringing hut' },
        mode: 'recovery',
        condition: { kind: 'stock', androidVersion: '9' },
        createdAt: new Date(this.clock.wall).toISOString(),
        elapsedMs: 1000,
        addedBytes: writer.addedBytes,
        images: listed,
      });
      return id;
    });
  }

  async read({ larder }: OpenLarder, setId: string, partition: string): Promise<Buffer> {
    const parts: Buffer[] = [];
    for await (const part of readImage(larder.shelf, larder.image(setId, partition))) parts.push(part);
    return Buffer.concat(parts);
  }

  async close(): Promise<void> {
    for (const { shelf, database } of this.opened) {
      shelf.close();
      database.close();
    }
    if (!this.shared) await this.workers.close();
    this.folder.remove();
  }
}

async function* inPieces(bytes: Uint8Array): AsyncGenerator<Uint8Array> {
  yield await Promise.resolve(bytes);
}
