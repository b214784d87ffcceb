import { FormatError } from '../../bytes/format-error.ts';
import type { ByteRange } from '../../bytes/ranges.ts';
import type { ByteSource } from '../../bytes/source.ts';
import { hex, readUtf8 } from '../../bytes/text.ts';

export type FileType = 'file' | 'directory' | 'link' | 'character' | 'block' | 'fifo' | 'socket';

/** The upper four bits of a mode (POSIX, <sys/stat.h>; the numbers as every Unix has them). */
export const fileTypes: Readonly<Record<number, FileType>> = {
  0x1: 'fifo',
  0x2: 'character',
  0x4: 'directory',
  0x6: 'block',
  0x8: 'file',
  0xa: 'link',
  0xc: 'socket',
};

/** What every file system says of a file. */
export interface FileNode {
  readonly number: number;
  readonly type: FileType;
  /** Permission bits including set-uid, set-gid and sticky. */
  readonly permissions: number;
  readonly uid: number;
  readonly gid: number;
  readonly bytes: number;
  readonly links: number;
  /** Seconds since 1970. */
  readonly modifiedAt: number;
  /** Its contents, or the names in it, are encrypted: without the phone's keys they say nothing. */
  readonly encrypted: boolean;
  /** Where it stands in the file system, for error messages. */
  readonly offset: number;
}

export interface DirectoryEntry {
  readonly name: string;
  /** Number of the inode. */
  readonly inode: number;
}

export interface Attribute {
  /** Full name, e.g. `security.selinux`. */
  readonly name: string;
  readonly value: Uint8Array;
}

/** What an encrypted name is shown as: its bytes are no text, and without the phone's keys they say nothing. */
export const encryptedName = (name: Uint8Array): string => `encrypted-${hex(name)}`;

/** An entry met on the way through a tree. */
export interface Walked<Node extends FileNode> {
  /** Absolute. */
  readonly path: string;
  readonly name: string;
  /** Undefined where it is damaged. */
  readonly node: Node | undefined;
  /** What is wrong with it, or with the folder that it is. */
  readonly fault: string | undefined;
}

const maxLinkHops = 40;
/** What one read of the source may fetch while streaming a file. */
const streamBytes = 1 << 20;

/** A file system opened for reading: what each kind has to say, and what follows from it for all of them. */
export abstract class FileSystem<Node extends FileNode = FileNode> {
  abstract readonly format: 'ext4' | 'f2fs' | 'erofs';
  /** Number of the inode that the root is. */
  abstract readonly root: number;
  /** What was found wrong on the way in. */
  abstract readonly findings: readonly string[];

  /** @throws FormatError when there is none of that number, or it is damaged */
  abstract inode(number: number): Promise<Node>;
  /** Names in a directory, `.` and `..` left out, in disk order. @throws FormatError when it is none, or damaged */
  abstract list(directory: Node): Promise<DirectoryEntry[]>;
  /** A file as a source of its own: what is asked for is read, and nothing else; holes are zeros. */
  abstract contentSource(file: Node): Promise<ByteSource>;
  abstract attributes(file: Node): Promise<Attribute[]>;
  /** Where all of a file's bytes lie, in their order; undefined where some lie nowhere or are packed. */
  abstract places(file: Node): Promise<readonly ByteRange[] | undefined>;
  /** Why what is told of a file may be wrong, as far as it was looked at: it does not match its own checksums. */
  doubtOf(_node: Node): string | undefined {
    return undefined;
  }

  /** A symbolic link's target. */
  abstract linkTarget(link: Node): Promise<string>;

  /** A file's bytes from first to last, holes as zeros. */
  async *content(file: Node): AsyncGenerator<Uint8Array> {
    const source = await this.contentSource(file);
    for (let at = 0; at < source.bytes; at += streamBytes) {
      yield await source.read(at, Math.min(streamBytes, source.bytes - at));
    }
  }

  /**
   * A whole file in memory.
   * @throws FormatError when it is larger than `limitBytes`
   */
  async read(file: Node, limitBytes = 1 << 24): Promise<Uint8Array> {
    if (file.bytes > limitBytes) {
      throw new FormatError(this.format, 'size', file.offset, `${file.bytes} bytes, more than ${limitBytes}`);
    }
    const out = new Uint8Array(file.bytes);
    let at = 0;
    for await (const part of this.content(file)) {
      out.set(part, at);
      at += part.length;
    }
    return out;
  }

  /** The inode at an absolute path, following links; undefined when a name is missing. */
  async find(path: string): Promise<Node | undefined> {
    return this.follow(path.split('/').filter(Boolean), [await this.inode(this.root)], 0);
  }

  /** As `find`, where a link at the end of the path is not followed. */
  async findSelf(path: string): Promise<Node | undefined> {
    const names = path.split('/').filter(Boolean);
    const last = names.at(-1);
    if (last === undefined || last === '.' || last === '..') return this.find(path);
    const folder = await this.find(names.slice(0, -1).join('/'));
    if (folder?.type !== 'directory') return undefined;
    const entry = await this.entry(folder, last);
    return entry && this.inode(entry.inode);
  }

  /** A small file at a path; undefined when it is not there. */
  async small(path: string, limitBytes = 1 << 20): Promise<Uint8Array | undefined> {
    const file = await this.find(path);
    return file?.type === 'file' ? this.read(file, limitBytes) : undefined;
  }

  /** The same as text. */
  async text(path: string, limitBytes = 1 << 20): Promise<string | undefined> {
    const bytes = await this.small(path, limitBytes);
    return bytes && readUtf8(bytes);
  }

  /** Everything but the root, each folder before what is in it, names of a folder in the order of their UTF-16. */
  async *walk(): AsyncGenerator<Walked<Node>> {
    const entriesOf = async (node: Node) =>
      (await this.list(node)).sort((a, b) => (a.name < b.name ? 1 : -1));
    // A damaged file system may have a folder within itself.
    const seen = new Set([this.root]);
    const open = [{ path: '', left: await entriesOf(await this.inode(this.root)) }];
    for (let folder = open.at(-1); folder; folder = open.at(-1)) {
      const next = folder.left.pop();
      if (!next) {
        open.pop();
        continue;
      }
      const { name } = next;
      const path = `${folder.path}/${name}`;
      let node: Node | undefined;
      let fault: string | undefined;
      try {
        node = await this.inode(next.inode);
        if (node.type === 'directory' && !seen.has(node.number)) {
          seen.add(node.number);
          open.push({ path, left: await entriesOf(node) });
        }
        fault = this.doubtOf(node);
      } catch (error) {
        if (!(error instanceof FormatError)) throw error;
        fault = error.message;
      }
      yield { path, name, node, fault };
    }
  }

  /** One name of a directory. */
  protected async entry(directory: Node, name: string): Promise<DirectoryEntry | undefined> {
    return (await this.list(directory)).find((each) => each.name === name);
  }

  private async follow(names: string[], trail: Node[], hops: number): Promise<Node | undefined> {
    for (const [i, name] of names.entries()) {
      if (name === '.') continue;
      if (name === '..') {
        if (trail.length > 1) trail.pop();
        continue;
      }
      const here = trail.at(-1)!;
      if (here.type !== 'directory') return undefined;
      const entry = await this.entry(here, name);
      if (!entry) return undefined;
      const next = await this.inode(entry.inode);
      if (next.type === 'link') {
        if (hops >= maxLinkHops) return undefined;
        const target = await this.linkTarget(next);
        const rest = [...target.split('/').filter(Boolean), ...names.slice(i + 1)];
        return this.follow(rest, target.startsWith('/') ? trail.slice(0, 1) : trail, hops + 1);
      }
      trail.push(next);
    }
    return trail.at(-1);
  }
}
