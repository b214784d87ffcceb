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
 * Pieces of bytes that wait on the disk for their turn. The file has no name there: nothing of it outlives the program. Killed while it is
 * made, it leaves a file with the suffix of unfinished ones. Where what is kept is sealed it is encrypted, by a key that nobody else has.
 */
export class SetAside {
  private readonly places: Slots<number>;
  private made = 0;

  private constructor(
    private readonly file: FileHandle,
    private readonly pieceBytes: number,
    mostPieces: number,
    private readonly key: Uint8Array | undefined,
  ) {
    this.places = new Slots(mostPieces, () => this.made++ * this.pieceBytes);
  }

  /**
   * @param mostPieces that wait at once
   * @param isSecret what is put is to be encrypted: it takes time, and memory
   * @throws Error from the file system
   */
  static async open(
    folder: string,
    pieceBytes: number,
    mostPieces: number,
    isSecret: boolean,
  ): Promise<SetAside> {
    const path = join(folder, `${randomUUID()}${partialSuffix}`);
    const file = await open(path, 'wx+', 0o600);
    await rm(path);
    return new SetAside(file, pieceBytes, mostPieces, isSecret ? randomBytes(32) : undefined);
  }

  /**
   * Sets a piece aside, once there is a place for it.
   * @returns undefined where the disk has no room
   */
  async put(piece: Uint8Array): Promise<Aside | undefined> {
    const place = await this.places.take();
    const counter = randomBytes(16);
    const closed = this.key ? createCipheriv(cipher, this.key, counter).update(piece) : piece;
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
    const opening = this.key && createDecipheriv(cipher, this.key, counter);
    const part = Buffer.allocUnsafe(Math.min(bytes, partBytes));
    try {
      for (let at = 0; at < bytes;) {
        const { bytesRead } = await this.file.read(part, 0, Math.min(part.length, bytes - at), place + at);
        if (bytesRead === 0) throw new Error(`What was set aside ends ${bytes - at} bytes early.`);
        const read = part.subarray(0, bytesRead);
        yield opening ? opening.update(read) : read;
        at += bytesRead;
      }
    } finally {
      this.places.giveBack(place);
    }
  }
}
