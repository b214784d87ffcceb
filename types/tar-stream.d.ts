/**
 * The package's own types stand on a stream library whose types hide that its streams are used like Node's; these say
 * what the code here uses, once, so that no place has to.
 */
declare module 'tar-stream' {
  import type { Readable, Writable } from 'node:stream';

  export interface Header {
    name: string;
    size: number;
    mode: number;
    mtime: Date;
    type:
      | 'file'
      | 'link'
      | 'symlink'
      | 'directory'
      | 'block-device'
      | 'character-device'
      | 'fifo'
      | 'contiguous-file';
    linkname: string;
    uid: number;
    gid: number;
    uname: string;
    gname: string;
    devmajor: number;
    devminor: number;
    /** Records of a pax header, by their keywords. */
    pax?: Readonly<Record<string, string>> | null;
  }

  /** What of a header is left out is made up. */
  export type NewHeader = Partial<Header> & Pick<Header, 'name'>;

  type Done = (error?: Error | null) => void;
  type Bytes = AsyncIterable<Uint8Array>;

  /** One entry of an archive that is read, its bytes to be taken before the next one comes. */
  export type Entry = Bytes & Pick<Readable, 'resume'> & { readonly header: Header; readonly offset: number };
  export type Extract = Writable & AsyncIterable<Entry>;
  export type Pack = Bytes &
    Pick<Readable, 'destroy'> & {
      entry(header: NewHeader, done?: Done): Writable;
      entry(header: NewHeader, bytes: string | Uint8Array, done?: Done): Writable;
      finalize(): void;
    };

  export function pack(): Pack;
  export function extract(): Extract;
}
