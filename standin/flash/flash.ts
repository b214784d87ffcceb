import { open, type FileHandle } from 'node:fs/promises';
import type { ByteSource } from '@keen-larder/core/bytes/source.ts';
import { readGpt, type GptPartition } from '@keen-larder/core/formats/gpt/index.ts';

/** A block device of the simulated phone: the whole flash or one partition. */
export interface Device extends ByteSource {
  /** As every source; into the memory given, when it is. */
  read(offset: number, length: number, into?: Uint8Array): Promise<Uint8Array>;
  /** Writes within the device; a write that runs past its end throws `RangeError`. */
  write(offset: number, bytes: Uint8Array): Promise<void>;
}

/** A simulated phone's flash: one sparse file, and the partitions that its own GPT names. */
export class Flash implements Device {
  private constructor(
    private readonly file: FileHandle,
    readonly bytes: number,
    private partitions: readonly GptPartition[],
  ) {}

  static async open(path: string): Promise<Flash> {
    const file = await open(path, 'r+');
    const { size } = await file.stat();
    const flash = new Flash(file, size, []);
    await flash.readTable();
    return flash;
  }

  /** Reads the partition table again, as a phone does when it starts. */
  async readTable(): Promise<void> {
    this.partitions = (await readGpt(this, 512)).partitions;
  }

  list(): readonly GptPartition[] {
    return this.partitions;
  }

  partition(name: string): Device | undefined {
    const found = this.partitions.find((each) => each.name === name);
    if (!found) return undefined;
    return {
      bytes: found.bytes,
      read: (offset, length, into) => this.read(found.startBytes + offset, length, into),
      write: (offset, bytes) => {
        if (offset + bytes.length > found.bytes) throw new RangeError('No space left on device');
        return this.write(found.startBytes + offset, bytes);
      },
    };
  }

  async read(offset: number, length: number, into?: Uint8Array): Promise<Uint8Array> {
    const bytes = into ?? Buffer.allocUnsafe(length);
    const { bytesRead } = await this.file.read(bytes, 0, length, offset);
    return bytes.subarray(0, bytesRead);
  }

  async write(offset: number, bytes: Uint8Array): Promise<void> {
    if (offset + bytes.length > this.bytes) throw new RangeError('No space left on device');
    await this.file.write(bytes, 0, bytes.length, offset);
  }

  sync(): Promise<void> {
    return this.file.sync();
  }

  close(): Promise<void> {
    return this.file.close();
  }
}
