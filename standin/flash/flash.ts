import { existsSync, readSync, writeSync } from 'node:fs';
import { open, readFile, writeFile, type FileHandle } from 'node:fs/promises';
import { randomBytes } from 'node:crypto';
import { slice, type ByteSource } from '@keen-larder/core/bytes/source.ts';
import { readGpt, type GptPartition } from '@keen-larder/core/formats/gpt/gpt.ts';
import { Faults } from './faults.ts';
import { Marks } from './recognition.ts';

/** A block device of the simulated phone: the whole flash or one partition. */
export interface Device extends ByteSource {
  /** As every source; into the memory given, when it is. */
  read(offset: number, length: number, into?: Uint8Array): Promise<Uint8Array>;
  /** Writes within the device; a write that runs past its end throws `RangeError`. */
  write(offset: number, bytes: Uint8Array): Promise<void>;
  /**
   * What the content of a stretch is recognised by, as `Recognition` has it.
   * @returns undefined where what comes out may differ each time, or that is not known by pieces
   */
  recognise?(offset: number, bytes: number): Promise<string | undefined>;
}

/** Files beside the flash: its early loader region, and the secret that no image contains. */
export const earlyLoaderOf = (path: string): string => `${path}.early`;
export const secretOf = (path: string): string => `${path}.secret`;
const vaultOf = (path: string): string => `${path}.vault`;
const secretBytes = 32;

/** What a phone keeps where no image reaches (in a real one: replay-protected memory). */
export interface Vault {
  /** Left out, it is as the works left it. */
  readonly locked?: boolean;
  /** By location: the lowest rollback index that is still accepted, in decimal. */
  readonly rollback?: Readonly<Record<string, string>>;
}

/** A simulated phone's flash: one sparse file, and the partitions that its own GPT names. */
export class Flash implements Device {
  readonly faults = new Faults();
  /** How often it was written to: what was computed of its bytes holds until this changes. */
  writes = 0;
  private readonly marks = new Marks((offset, into) =>
    into.subarray(0, readSync(this.file.fd, into, 0, into.length, offset)),
  );

  private constructor(
    private readonly path: string,
    private readonly file: FileHandle,
    readonly bytes: number,
    readonly sectorBytes: 512 | 4096,
    /** A boot area outside the partition table. */
    readonly earlyLoader: (Device & { close(): Promise<void> }) | undefined,
    private partitions: readonly GptPartition[],
    private kept: Vault,
  ) {}

  static async open(path: string, sectorBytes: 512 | 4096 = 512): Promise<Flash> {
    const file = await open(path, 'r+');
    const { size } = await file.stat();
    const early = earlyLoaderOf(path);
    const region = existsSync(early) ? await openRegion(early) : undefined;
    const vault = existsSync(vaultOf(path)) ? await readFile(vaultOf(path), 'utf8') : '{}';
    const flash = new Flash(path, file, size, sectorBytes, region, [], JSON.parse(vault) as Vault);
    await flash.readTable();
    return flash;
  }

  /** Reads the partition table again, as a phone does when it starts. */
  async readTable(): Promise<void> {
    this.partitions = (await readGpt(this, this.sectorBytes)).partitions;
  }

  list(): readonly GptPartition[] {
    return this.partitions;
  }

  partition(name: string): Device | undefined {
    const found = this.partitions.find((each) => each.name === name);
    return found && this.part(found.startBytes, found.bytes);
  }

  /** A stretch of the flash as a device. */
  part(start: number, bytes: number): Device {
    return {
      ...slice(this, start, bytes),
      read: (offset, length, into) => this.read(start + offset, length, into),
      write: (offset, written) => {
        if (offset + written.length > bytes) throw new RangeError('No space left on device');
        return this.write(start + offset, written);
      },
      recognise: (offset, length) => this.recognise(start + offset, length),
    };
  }

  /** What this phone alone knows; a factory reset renews it. */
  secret(): Promise<Uint8Array> {
    return readFile(secretOf(this.path));
  }

  get vault(): Vault {
    return this.kept;
  }

  async changeVault(change: Vault): Promise<void> {
    this.kept = { ...this.kept, ...change };
    await writeFile(vaultOf(this.path), JSON.stringify(this.kept));
  }

  async renewSecret(): Promise<void> {
    await writeFile(secretOf(this.path), randomBytes(secretBytes));
  }

  // eslint-disable-next-line @typescript-eslint/require-await -- what it throws is a rejection to whoever waits
  async read(offset: number, length: number, into?: Uint8Array): Promise<Uint8Array> {
    const bytes = into ?? Buffer.allocUnsafe(length);
    // Out of the kernel's memory, as it was written into it.
    const found = bytes.subarray(0, readSync(this.file.fd, bytes, 0, length, offset));
    this.faults.afterRead(offset, found);
    return found;
  }

  // eslint-disable-next-line @typescript-eslint/require-await -- what it throws is a rejection to whoever waits
  async write(offset: number, bytes: Uint8Array): Promise<void> {
    if (offset + bytes.length > this.bytes) throw new RangeError('No space left on device');
    this.faults.beforeWrite(offset, bytes.length);
    this.writes++;
    // Into the kernel's memory: asking a thread to do that takes longer than doing it.
    writeSync(this.file.fd, bytes, 0, bytes.length, offset);
    this.marks.written(offset, bytes.length);
    this.writes++;
  }

  recognise(offset: number, bytes: number): Promise<string | undefined> {
    const isSound = this.faults.names.length === 0;
    return isSound ? this.marks.recognise(offset, bytes) : Promise.resolve(undefined);
  }

  async close(): Promise<void> {
    await this.earlyLoader?.close();
    await this.file.close();
  }
}

async function openRegion(path: string): Promise<Device & { close(): Promise<void> }> {
  const file = await open(path, 'r+');
  const { size } = await file.stat();
  return {
    bytes: size,
    async read(offset, length, into) {
      const bytes = into ?? Buffer.allocUnsafe(length);
      const { bytesRead } = await file.read(bytes, 0, length, offset);
      return bytes.subarray(0, bytesRead);
    },
    async write(offset, bytes) {
      if (offset + bytes.length > size) throw new RangeError('No space left on device');
      await file.write(bytes, 0, bytes.length, offset);
    },
    close: () => file.close(),
  };
}
