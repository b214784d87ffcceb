import { utf8 } from '../../../bytes/text.ts';
import { blockBytes } from './geometry.ts';

export interface DirectoryEntry {
  readonly name: string;
  /** Of its inode. */
  readonly number: number;
  /** As directories have it (EXT4_FT_REG_FILE and others). */
  readonly type: number;
}

/** A directory's blocks (ext4_dir_entry_2, linear), the last entry of each filling it up. */
export function directoryBlocks(entries: readonly DirectoryEntry[]): Uint8Array[] {
  const blocks: Uint8Array[] = [];
  let view: DataView | undefined;
  let at = 0;
  let last = 0;
  const close = () => view?.setUint16(last + 4, blockBytes - last, true);
  for (const { name, number, type } of entries) {
    const bytes = utf8(name);
    const needed = (8 + bytes.length + 3) & ~3;
    if (!view || at + needed > blockBytes) {
      close();
      const block = new Uint8Array(blockBytes);
      blocks.push(block);
      view = new DataView(block.buffer);
      at = 0;
    }
    view.setUint32(at, number, true);
    view.setUint16(at + 4, needed, true);
    view.setUint8(at + 6, bytes.length);
    view.setUint8(at + 7, type);
    blocks.at(-1)!.set(bytes, at + 8);
    last = at;
    at += needed;
  }
  close();
  return blocks;
}
