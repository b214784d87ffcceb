import { open, rm, type FileHandle } from 'node:fs/promises';
import { createCipheriv, createDecipheriv, randomBytes, randomUUID } from 'node:crypto';
import { join } from 'node:path';
import { Slots } from '../async/slots.ts';
import { partialSuffix } from './durable.ts';

/** Bytes that were set aside. */
export interface Aside {
  readonly bytes: number;
  /** All of them, in parts that are good until the next one is asked for. Once. */
  take(): AsyncGenerator<Uint8Array>;
}

const partBytes = 1 << 20;
const cipher = 'aes-256-ctr';

/**
 * Pieces of bytes that wait on the disk for their turn. The file has no name there, and is encrypted by a key that nobody else
 * has: nothing of it outlives the program. Killed while it is made, it leaves a file with the suffix of unfinished ones.
 */
export class SetAside {
  private readonly places: Slots<number>;
  private made = 0;
  private readonly key = randomBytes(32);

  private constructor(
    private readonly file: FileHandle,
    private readonly pieceBytes: number,
    mostPieces: number,
  ) {
    this.places = new Slots(mostPieces, () => this.made++ * this.pieceBytes);
  }

  /**
   * @param mostPieces that wait at once
   * @throws Error from the file system
   */
  static async open(folder: string, pieceBytes: number, mostPieces: number): Promise<SetAside> {
    const path = join(folder, `${randomUUID()}${partialSuffix}`);
    const file = await open(path, 'wx+', 0o600);
    await rm(path);
    return new SetAside(file, pieceBytes, mostPieces);
  }

  /**
   * Sets a piece aside, once there is a place for it.
   * @returns undefined where the disk has no room
   */
  async put(piece: Uint8Array): Promise<Aside | undefined> {
    const place = await this.places.take();
    const counter = randomBytes(16);
    const closed = createCipheriv(cipher, this.key, counter).update(piece);
    try {
      for (let at = 0; at < closed.length;)
        at += (await this.file.write(closed, at, closed.length - at, place + at)).bytesWritten;
    } catch {
      this.places.giveBack(place);
      return undefined;
    }
    return { bytes: piece.length, take: () => this.take(place, piece.length, counter) };
  }

  close(): Promise<void> {
    return this.file.close();
  }

  private async *take(place: number, bytes: number, counter: Buffer): AsyncGenerator<Uint8Array> {
    const opening = createDecipheriv(cipher, this.key, counter);
    const part = Buffer.allocUnsafe(Math.min(bytes, partBytes));
    try {
      for (let at = 0; at < bytes;) {
        const { bytesRead } = await this.file.read(part, 0, Math.min(part.length, bytes - at), place + at);
        if (bytesRead === 0) throw new Error(`What was set aside ends ${bytes - at} bytes early.`);
        yield opening.update(part.subarray(0, bytesRead));
        at += bytesRead;
      }
    } finally {
      this.places.giveBack(place);
    }
  }
}
