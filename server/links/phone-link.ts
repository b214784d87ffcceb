import type { PartitionFacts, PhoneFacts } from '@keen-larder/core/phone/facts.ts';
import type { PhoneMode } from '@keen-larder/core/phone/modes.ts';

/** A partition's bytes over a link. */
export interface PartitionAccess {
  /** Names, sizes, mounts and what lies on each. */
  list(): Promise<PartitionFacts[]>;
  /** The bytes from first to last, or a range of them. Aborting ends the transfer. */
  read(
    name: string,
    options?: { offset?: number; bytes?: number; signal?: AbortSignal },
  ): AsyncIterable<Uint8Array>;
  /** Replaces the bytes from the first on; resolves when the phone has them on its flash. */
  write(name: string, bytes: AsyncIterable<Uint8Array>, signal?: AbortSignal): Promise<void>;
  /** SHA-256 of the first `bytes` bytes, computed by the phone; lower-case hexadecimal. */
  digest(name: string, bytes: number, signal?: AbortSignal): Promise<string>;
}

/** One phone in one mode. What a mode lacks is absent. */
export interface PhoneLink {
  readonly mode: PhoneMode;
  /** For the interface: `adb 127.0.0.1:5555`. */
  readonly description: string;
  facts(): Promise<PhoneFacts>;
  /** Whether the mode has come up entirely. */
  ready(): Promise<boolean>;
  readonly partitions?: PartitionAccess;
  restart(into: PhoneMode): Promise<void>;
  /** Resolves when the link is gone. */
  readonly gone: Promise<void>;
  close(): void;
}

/** The link broke or the phone refused; the message says what to do. */
export class LinkFailure extends Error {
  override readonly name = 'LinkFailure';
}
