import type { OffsiteCopy } from './offsite.ts';

/** A set whose label, note, phone or build holds what was looked for. */
export interface FoundSet {
  readonly id: string;
  readonly label: string;
  readonly note: string;
  readonly serial: string;
  readonly nickname: string;
  readonly build: string | undefined;
  readonly createdAt: number;
  /** Of the set's SHA256SUMS; there where that is what was looked for. */
  readonly fingerprint: string | undefined;
  /** The copies in which it lies alone; none where the larder has it. */
  readonly elsewhere: readonly OffsiteCopy[];
}

/** An image whose checksum begins with what was looked for. */
export interface FoundImage {
  readonly setId: string;
  readonly label: string;
  readonly nickname: string;
  readonly partition: string;
  readonly sha256: string;
  readonly bytes: number;
}

export interface FoundPhone {
  readonly serial: string;
  readonly nickname: string;
  readonly maker: string;
  readonly model: string;
}

/** Copies of an app whose package or name holds what was looked for. */
export interface FoundApp {
  readonly package: string;
  readonly label: string;
  readonly copies: number;
  readonly newestAt: number;
  readonly nicknames: readonly string[];
}

/** A file within images, or within folders of apps that were copied, at one path with one content. */
export interface FoundFile {
  readonly path: string;
  readonly kind: 'folder' | 'file' | 'link' | 'other';
  readonly bytes: number;
  /** Undefined until its content was read. */
  readonly sha256: string | undefined;
  /** Of a copy its part, such as `data`. */
  readonly partition: string;
  /** File system within the image; empty for the image itself. */
  readonly part: string;
  /** Sets that have it: those that the larder has, then others, the newest of each first. */
  readonly sets: readonly {
    readonly id: string;
    readonly label: string;
    readonly nickname: string;
    readonly createdAt: number;
    /** The copies in which it lies alone; none where the larder has it. */
    readonly elsewhere: readonly OffsiteCopy[];
  }[];
  /** Copies of apps that have it, the newest first; none where sets do. */
  readonly copies: readonly {
    readonly id: string;
    readonly label: string;
    readonly nickname: string;
    readonly createdAt: number;
  }[];
}

/** Hits of one kind: the first ones, and whether there are more. */
export interface Hits<T> {
  readonly found: readonly T[];
  readonly isCut: boolean;
}

export interface FindView {
  readonly phones: Hits<FoundPhone>;
  readonly sets: Hits<FoundSet>;
  readonly images: Hits<FoundImage>;
  readonly apps: Hits<FoundApp>;
  readonly files: Hits<FoundFile>;
}

/** How far the names of files are written down. */
export interface NameIndexView {
  readonly files: number;
  /** File systems and archives. */
  readonly trees: number;
  /** Of these, those that are not read yet, and images not looked into. */
  readonly unread: number;
  /** Of which not all could be read. */
  readonly faults: number;
  /** On the disk. */
  readonly bytes: number;
  /** Names within user data are written down as well. */
  readonly userData: boolean;
}
