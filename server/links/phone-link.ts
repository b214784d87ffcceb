import type { AppAccess, AppWork, HomeWork, UserAccess } from './app-access.ts';
import type { ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import type { ByteSource } from '@keen-larder/core/bytes/source.ts';
import type { CableCrossed, CableMemory } from '@keen-larder/core/phone/cable-choice.ts';
import type { PartitionFacts, PhoneFacts } from '@keen-larder/core/phone/facts.ts';
import type { ProviderQuestion } from '@keen-larder/core/records/provided.ts';
import type { PhoneMode } from '@keen-larder/core/phone/modes.ts';
import type { Survey } from '@keen-larder/core/phone/survey.ts';
import type { ProofWay } from '@keen-larder/core/phone/proof-ways.ts';

/** A digest of some bytes, in lower-case hexadecimal. */
export interface Digest {
  readonly by: 'sha256' | 'md5';
  readonly hex: string;
}

/** A partition's bytes over a link. */
export interface PartitionAccess {
  /** Names, sizes, mounts and what lies on each. */
  list(): Promise<PartitionFacts[]>;
  /** Logical partitions within others; none where the mode tells of none. */
  logical?(): Promise<PartitionFacts[]>;
  /**
   * The bytes of ranges, one after the other. Aborting ends the transfer.
   * @throws FlashFailure at the first block that the phone cannot read
   */
  read(name: string, ranges: readonly ByteRange[], signal?: AbortSignal): AsyncIterable<Uint8Array>;
  /**
   * Replaces some ranges, each of which begins at a whole mebibyte; resolves when the phone has them on its flash. The first is asked
   * for once nothing else writes to the partition.
   */
  writeRanges?(
    name: string,
    ranges: AsyncIterable<{ readonly offset: number; readonly parts: AsyncIterable<Uint8Array> }>,
    signal?: AbortSignal,
  ): Promise<void>;
  /** Replaces the bytes from the first on; resolves when the phone has them on its flash. */
  write(name: string, bytes: AsyncIterable<Uint8Array>, signal?: AbortSignal): Promise<void>;
  /** How `digest` comes about; asked of the phone once. */
  proofWay(): Promise<ProofWay>;
  /**
   * Digest over ranges one after the other: computed by the phone, or here of what is read of it once more.
   * @throws FlashFailure when the phone cannot read all of them
   */
  digest(name: string, ranges: readonly ByteRange[], signal?: AbortSignal): Promise<Digest>;
  /**
   * The phone's digests of a range's pieces, in their order; undefined where it computes none of this partition. They tell where to
   * look: what cannot be read has a digest as well. The way is the faster one, whichever proves.
   * @param range of whole chunks, but for the end of the partition
   */
  digestPieces?(
    name: string,
    range: ByteRange,
    pieceBytes: number,
    signal?: AbortSignal,
  ): Promise<AsyncIterable<Digest> | undefined>;
  /** The digest that `digestPieces` will tell; undefined where there is none. */
  quickDigest?(name: string): Promise<Digest['by'] | undefined>;
  /** How bytes cross, where there is a choice. */
  readonly cable?: CableAccess;
  /** It can digest while it is read from. */
  readonly doesTwoThings: boolean;
  /** A partition with random access, for looking at a few of its blocks. */
  source(name: string, bytes: number): ByteSource;
}

/** A cable on which bytes may be packed, where that is faster. */
export interface CableAccess {
  /** Goes by what was measured before over the same cable. */
  recall(memory: CableMemory): void;
  /** Told what was measured. */
  onMeasured: ((memory: CableMemory) => void) | undefined;
  /** Bytes of flash that were read in a second, by the faster way, as far as was measured. */
  readonly readSpeed: number | undefined;
  readonly writeSpeed: number | undefined;
  /** From now on nothing is packed. */
  carryPlainly(): void;
  /** What crossed since this was last asked. */
  takeCrossed(): CableCrossed;
}

/** What a bootloader does with partitions: it takes them and tells their sizes, and reads nothing out. */
export interface FlashingAccess {
  /** Names and sizes. */
  list(): Promise<PartitionFacts[]>;
  /** The most that one piece may be, in bytes. */
  maxDownloadBytes(): Promise<number>;
  /**
   * Hands one piece over and has it written: a raw image, or an Android sparse image, which may be a part of one.
   * @throws FlashFailure when the phone cannot write it
   */
  flash(
    name: string,
    piece: { readonly bytes: number; readonly parts: AsyncIterable<Uint8Array> },
    signal?: AbortSignal,
  ): Promise<void>;
  erase(name: string, signal?: AbortSignal): Promise<void>;
  setActive(slot: 'a' | 'b'): Promise<void>;
  /**
   * Locks or unlocks the bootloader, which wipes user data; resolves once somebody has agreed on the phone's screen.
   * @throws PhoneRefusal when it was refused there
   */
  setLocked(locked: boolean, signal?: AbortSignal): Promise<void>;
}

/** Files of a phone's user data. */
export interface FileAccess {
  /** Whether the files can be reached now; mounts them where that helps. */
  ready(): Promise<boolean>;
  /**
   * A tar stream of a folder, with owners, modes, times, links and labels.
   * @param leaveOut paths within it
   * @param remark is told what was left out and what the phone complained of
   * @throws LinkFailure when it does not come to its end
   */
  archive(
    folder: string,
    leaveOut: readonly string[],
    signal?: AbortSignal,
    remark?: (text: string) => void,
  ): AsyncIterable<Uint8Array>;
  /** Mounts user data so that files can be written; resolves to whether that worked. */
  makeWritable(): Promise<boolean>;
  /** Makes user data anew, empty. @throws PhoneRefusal when the phone's own tool will not */
  format(fileSystem: 'ext4' | 'f2fs'): Promise<void>;
  /** Removes all that lies in a folder but for some names. */
  empty(folder: string, stays: readonly string[]): Promise<void>;
  /** Removes what programs were translated into; the system makes it anew. */
  clearCodeCaches(): Promise<void>;
  /** Unpacks a tar stream, with owners, modes, times and links, into a folder of user data; labels where the phone's tar has them. */
  unpack(folder: string, stream: AsyncIterable<Uint8Array>, signal?: AbortSignal): Promise<void>;
  /** The files at some paths, and below those that are folders; what is not there is left out. */
  describe(paths: readonly string[], signal?: AbortSignal): Promise<DescribedFile[]>;
  /** Removes files; what is not there is gone already. */
  remove(paths: readonly string[]): Promise<void>;
  /** A file's bytes. A piece is good until the next one is asked for. */
  content(path: string, signal?: AbortSignal): AsyncIterable<Uint8Array>;
  /** Names in a folder; none where there is no such folder. */
  list(folder: string): Promise<{ readonly name: string; readonly isFolder: boolean }[]>;
  /** A file with random access; undefined where there is none. */
  open(path: string): Promise<ByteSource | undefined>;
  /** A small text file, also where it is in the platform's binary XML; undefined where there is none. */
  text(path: string): Promise<string | undefined>;
  /** How `digests` come about. */
  proofWay(): Promise<ProofWay>;
  /**
   * SHA-256 of files by their paths within a folder; those that are gone are missing.
   * @param bytes how many they are together, for how long is waited
   */
  digests(
    folder: string,
    paths: readonly string[],
    bytes: number,
    signal?: AbortSignal,
  ): Promise<Map<string, string>>;
  /** Owners, modes and labels by paths within a folder, links not followed; those that are gone are missing. */
  owners(folder: string, paths: readonly string[], signal?: AbortSignal): Promise<Map<string, PresentFile>>;
  /**
   * Sets what unpacking did not, as far as the phone can: SELinux labels, and owners of links.
   * @param wanted by paths within the folder
   */
  settle(folder: string, wanted: ReadonlyMap<string, PresentFile>, signal?: AbortSignal): Promise<void>;
}

/** Files that can be archived and proved. */
export type ArchivedFiles = Pick<FileAccess, 'ready' | 'archive' | 'digests' | 'proofWay'>;

/** What apps share, as a system without root shows it. */
export interface SharedFiles extends ArchivedFiles {
  readonly folder: string;
  /** All of it; undefined where the phone does not tell. */
  bytes(): Promise<number | undefined>;
}

/** Shared storage of a running system as apps see it, written with root or without. */
export interface SharedPlacing {
  readonly folder: string;
  /** Where files wait to be moved into place. */
  readonly staging: string;
  /** Sizes of the files in one of its folders, by their paths within shared storage. @param name empty for those in no folder */
  sizes(name: string, signal?: AbortSignal): Promise<Map<string, number>>;
  /** SHA-256 by the paths within a folder. @param bytes how many they are together, for how long is waited */
  digests(
    folder: string,
    paths: readonly string[],
    bytes: number,
    signal?: AbortSignal,
  ): Promise<Map<string, string>>;
  /** Unpacks a tar into the staging folder, which is empty then. @returns what the phone's tar complained of */
  stage(stream: AsyncIterable<Uint8Array>, signal?: AbortSignal): Promise<string | undefined>;
  /** Moves files from there to the same paths in shared storage, over those of the same names. */
  place(paths: readonly string[], signal?: AbortSignal): Promise<void>;
  /** Removes the staging folder. */
  clear(): Promise<void>;
}

/** Files that are handed to a running system, with root or without. */
export interface Handing {
  /** In shared storage. */
  readonly folder: string;
  /** What content providers tell. */
  readonly providers: ProviderAccess;
  /** Makes a file, or another in its place. */
  write(path: string, bytes: Uint8Array): Promise<void>;
  remove(path: string): Promise<void>;
  /** Has the phone open a file with an app of its own, which asks its owner. */
  open(path: string, mediaType: string): Promise<void>;
}

/** Content providers of a running system. */
export interface ProviderAccess {
  /** What is printed as an answer. @throws PhoneRefusal when it answers nothing of the kind */
  ask(question: ProviderQuestion, signal?: AbortSignal): Promise<string>;
}

export interface DescribedFile extends FileOwner {
  readonly path: string;
  readonly bytes: number;
}

/** A file, folder or link that is on the phone. */
export interface PresentFile extends FileOwner {
  readonly isLink: boolean;
  /** Of a link. */
  readonly target?: string | undefined;
}

export interface FileOwner {
  readonly uid: number;
  readonly gid: number;
  /** Permission bits. */
  readonly mode: number;
  /** SELinux label; undefined where the phone does not tell. */
  readonly label: string | undefined;
}

/** Names in a folder that go aside, and those that come in their place. */
export interface SomeNames {
  readonly going: readonly string[];
  readonly coming: readonly string[];
}

/** Exchanges what is in folders of user data, by their full paths, where there is root: staged beside, then swapped. */
export interface FolderExchange {
  hasFolder(folder: string): Promise<boolean>;
  /** Those of some folders that are there, and whether an exchange was begun in each and not ended: one question for all of them. */
  look(folders: readonly string[], signal?: AbortSignal): Promise<Map<string, { readonly isBegun: boolean }>>;
  archive(
    folder: string,
    without: readonly string[],
    signal?: AbortSignal,
    remark?: (text: string) => void,
  ): AsyncIterable<Uint8Array>;
  /** Where what is to come into a folder is staged, within it. */
  nextOf(folder: string): string;
  /**
   * Unpacks beside what is in the folder; resolves to where.
   * @param owner for whom the folder is made where there is none
   */
  stage(
    folder: string,
    stream: AsyncIterable<Uint8Array>,
    signal?: AbortSignal,
    owner?: number,
  ): Promise<string>;
  /** Puts what is there aside and what was staged in its place. @param some names alone; all that is there otherwise */
  swap(folder: string, some?: SomeNames): Promise<void>;
  /** Removes what was put aside: the new data is proved. */
  settle(folder: string): Promise<void>;
  /** Puts what was there in its place again, as far as an exchange had come; resolves to whether one had begun. */
  rollBack(folder: string): Promise<boolean>;
}

/** One phone in one mode. What a mode lacks is absent. */
export interface PhoneLink {
  readonly mode: PhoneMode;
  /** What reaches it, without the address. */
  readonly kind: 'adb' | 'fastboot' | 'loader';
  /** For the interface: `adb 127.0.0.1:5555`. */
  readonly description: string;
  facts(): Promise<PhoneFacts>;
  /** Whether the mode has come up entirely. */
  ready(): Promise<boolean>;
  readonly partitions?: PartitionAccess;
  readonly files?: FileAccess;
  /** Of a running system without root. */
  readonly shared?: SharedFiles;
  /** Of a running system without root. */
  readonly providers?: ProviderAccess;
  readonly apps?: AppAccess;
  readonly appWork?: AppWork;
  /** Of a running system. */
  readonly home?: HomeWork;
  /** Users of a running system. */
  readonly users?: UserAccess;
  /** Whose apps these are: 0 is the phone's owner. */
  readonly user: number;
  /** The same link, where apps are those of another user. */
  asUser(user: number): PhoneLink;
  /** Of a running system. */
  readonly handing?: Handing;
  /** Of a running system. */
  readonly sharedPlacing?: SharedPlacing;
  readonly folders?: FolderExchange;
  readonly flashing?: FlashingAccess;
  restart(into: PhoneMode): Promise<void>;
  /** Tries what the phone's tools can do, without writing anything. */
  survey(signal?: AbortSignal): Promise<Omit<Survey, 'at' | 'build'>>;
  /** Resolves when the link is gone. */
  readonly gone: Promise<void>;
  close(): void;
}
