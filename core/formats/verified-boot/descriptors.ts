import { FormatError } from '../../bytes/format-error.ts';
import { safeInteger, type Layout } from '../../bytes/layout.ts';
import { readUtf8 } from '../../bytes/text.ts';
import {
  chainFields,
  commandLineFields,
  descriptorHeader,
  descriptorTags,
  hashFields,
  hashtreeFields,
  propertyFields,
} from './layouts.ts';

/** One statement of a vbmeta image about a partition or the system. */
export type Descriptor =
  | { readonly kind: 'property'; readonly key: string; readonly value: Uint8Array }
  | HashDescriptor
  | HashtreeDescriptor
  | { readonly kind: 'kernel command line'; readonly flags: number; readonly commandLine: string }
  | ChainDescriptor
  | { readonly kind: 'unknown'; readonly tag: bigint; readonly bytes: number };

/** The digest of a whole partition: over the salt and the first `imageBytes` bytes. */
export interface HashDescriptor {
  readonly kind: 'hash';
  readonly partition: string;
  readonly algorithm: string;
  readonly imageBytes: number;
  readonly salt: Uint8Array;
  readonly digest: Uint8Array;
  readonly flags: number;
}

/** The root of a tree of digests over a partition (dm-verity). */
export interface HashtreeDescriptor {
  readonly kind: 'hashtree';
  readonly partition: string;
  readonly algorithm: string;
  readonly imageBytes: number;
  readonly treeOffset: number;
  readonly treeBytes: number;
  readonly dataBlockBytes: number;
  readonly hashBlockBytes: number;
  readonly salt: Uint8Array;
  readonly rootDigest: Uint8Array;
  readonly flags: number;
}

/** Another partition has metadata of its own, signed by this key. */
export interface ChainDescriptor {
  readonly kind: 'chain';
  readonly partition: string;
  readonly rollbackIndexLocation: number;
  readonly publicKey: Uint8Array;
  readonly flags: number;
}

/** Takes the variable parts that follow a descriptor's fields, one behind the other. */
class Tail {
  constructor(
    private readonly bytes: Uint8Array,
    private at: number,
    private readonly base: number,
  ) {}

  take(length: number | bigint, field: string): Uint8Array {
    const wanted = Number(length);
    if (!(wanted >= 0 && this.at + wanted <= this.bytes.length)) {
      throw new FormatError(
        'verified-boot',
        field,
        this.base + this.at,
        `${length} bytes, of which ${this.bytes.length - this.at} are there`,
      );
    }
    const part = new Uint8Array(this.bytes.subarray(this.at, this.at + wanted));
    this.at += wanted;
    return part;
  }

  text(length: number, field: string): string {
    return readUtf8(this.take(length, field));
  }
}

/**
 * The descriptors of a vbmeta image (AOSP external/avb, avb_descriptor.h).
 * @param bytes the descriptors alone
 * @param base where they start in the input, for errors
 * @throws FormatError when one does not fit the sizes it gives
 */
export function readDescriptors(bytes: Uint8Array, base: number): Descriptor[] {
  const found: Descriptor[] = [];
  for (let at = 0; at < bytes.length;) {
    const { tag, bytesFollowing } = descriptorHeader.read(bytes, at, base);
    const length = safeInteger(bytesFollowing, 'verified-boot', 'bytesFollowing', base + at + 8);
    const end = at + descriptorHeader.bytes + length;
    if (length % 8 !== 0 || end > bytes.length) {
      throw new FormatError(
        'verified-boot',
        'bytesFollowing',
        base + at + 8,
        `${length} bytes in a descriptor with ${bytes.length - at - descriptorHeader.bytes} left`,
      );
    }
    found.push(readDescriptor(tag, bytes.subarray(0, end), at + descriptorHeader.bytes, base));
    at = end;
  }
  return found;
}

function readDescriptor(tag: bigint, bytes: Uint8Array, at: number, base: number): Descriptor {
  const fieldsAnd = <T>(fields: Layout<T>) =>
    [fields.read(bytes, at, base), new Tail(bytes, at + fields.bytes, base)] as const;
  const size = (value: bigint, field: string) => safeInteger(value, 'verified-boot', field, base + at);
  switch (Number(tag)) {
    case descriptorTags.property: {
      const [{ keyBytes, valueBytes }, tail] = fieldsAnd(propertyFields);
      const key = readUtf8(tail.take(keyBytes, 'key'));
      tail.take(1, 'key');
      return { kind: 'property', key, value: tail.take(valueBytes, 'value') };
    }
    case descriptorTags.hash: {
      const [fields, tail] = fieldsAnd(hashFields);
      return {
        kind: 'hash',
        partition: tail.text(fields.partitionNameBytes, 'partitionName'),
        algorithm: fields.hashAlgorithm,
        imageBytes: size(fields.imageBytes, 'imageBytes'),
        salt: tail.take(fields.saltBytes, 'salt'),
        digest: tail.take(fields.digestBytes, 'digest'),
        flags: fields.flags,
      };
    }
    case descriptorTags.hashtree: {
      const [fields, tail] = fieldsAnd(hashtreeFields);
      return {
        kind: 'hashtree',
        partition: tail.text(fields.partitionNameBytes, 'partitionName'),
        algorithm: fields.hashAlgorithm,
        imageBytes: size(fields.imageBytes, 'imageBytes'),
        treeOffset: size(fields.treeOffset, 'treeOffset'),
        treeBytes: size(fields.treeBytes, 'treeBytes'),
        dataBlockBytes: fields.dataBlockBytes,
        hashBlockBytes: fields.hashBlockBytes,
        salt: tail.take(fields.saltBytes, 'salt'),
        rootDigest: tail.take(fields.rootDigestBytes, 'rootDigest'),
        flags: fields.flags,
      };
    }
    case descriptorTags.kernelCommandLine: {
      const [{ flags, commandLineBytes }, tail] = fieldsAnd(commandLineFields);
      return { kind: 'kernel command line', flags, commandLine: tail.text(commandLineBytes, 'commandLine') };
    }
    case descriptorTags.chain: {
      const [fields, tail] = fieldsAnd(chainFields);
      return {
        kind: 'chain',
        partition: tail.text(fields.partitionNameBytes, 'partitionName'),
        rollbackIndexLocation: fields.rollbackIndexLocation,
        publicKey: tail.take(fields.publicKeyBytes, 'publicKey'),
        flags: fields.flags,
      };
    }
    default:
      return { kind: 'unknown', tag, bytes: bytes.length - at };
  }
}
