import type { ByteSource } from '../bytes/source.ts';

/** The flash of a phone as its boot chain sees it: as it is, or as it would be after a plan. */
export interface BootFlash {
  partition(name: string): Promise<ByteSource | undefined>;
  /** The boot area outside the partition table, where there is one. */
  earlyLoader(): Promise<ByteSource | undefined>;
}

/** What the walk needs to know of a phone besides its bytes. */
export interface BootRules {
  /** It has two slots. */
  readonly slots: boolean;
  readonly locked: boolean;
  /** The key that its bootloader trusts, where it is known. */
  readonly makerKey?: Uint8Array | undefined;
  /** The lowest rollback index that it accepts at a location, where that is known. */
  readonly rollbackFloor?: (location: number) => bigint;
}
