import { openBytes, sealBytes, SealedReader } from '../sealing/sealed-object.ts';
import type { OpenSeal } from '../sealing/seal-key.ts';
import { objectNames, type Bucket } from './bucket.ts';

/** Packs whose heads were read; reading goes from pack to pack. */
const keptReaders = 8;

/** A bucket through its seal: what is put is sealed under its name, what is got is opened. */
export class SealedBucket {
  private readonly readers = new Map<string, Promise<SealedReader>>();

  constructor(
    readonly bucket: Bucket,
    readonly seal: OpenSeal,
  ) {}

  async put(name: string, plain: Uint8Array): Promise<number> {
    const sealed = sealBytes(this.seal, name, plain);
    await this.bucket.put(name, sealed);
    return sealed.length;
  }

  /** @throws BucketFailure, SealFailure */
  async get(name: string): Promise<Buffer> {
    return openBytes(this.seal, name, await this.bucket.get(name));
  }

  /** Plain bytes of a pack. @param objectBytes of the object @throws BucketFailure, SealFailure */
  async readPack(pack: string, objectBytes: number, offset: number, bytes: number): Promise<Buffer> {
    const name = objectNames.pack(pack);
    const known = this.readers.get(name);
    const reader =
      known ??
      SealedReader.open(this.seal, name, {
        bytes: objectBytes,
        read: (at, length) => this.bucket.get(name, { offset: at, bytes: length }),
      });
    if (!known) {
      this.readers.set(name, reader);
      reader.catch(() => this.readers.delete(name));
      if (this.readers.size > keptReaders) this.readers.delete(this.readers.keys().next().value!);
    }
    return (await reader).read(offset, bytes);
  }
}
