import { crc32cRegister } from '../../bytes/crc32.ts';
import { roCompatMetadataCsum, superblock } from './layouts.ts';

/** Offsets within an inode (kernel documentation, ext4, "Inode Table"). */
const at = {
  modified: 16,
  generation: 100,
  checksumLow: 124,
  extraBytes: 128,
  checksumHigh: 130,
  modifiedExtra: 136,
};
/** The extra fields reach as far as the upper half of the checksum. */
const leastExtraBytes = 4;

/**
 * An inode whose file was last changed at another time, with its checksum where the file system has them
 * (kernel documentation, ext4, "Checksums").
 * @param record the inode's own bytes
 * @param superblockBytes from `superblockOffset` on
 * @param modifiedAt seconds since 1970
 */
export function withModified(
  record: Uint8Array,
  number: number,
  superblockBytes: Uint8Array,
  modifiedAt: number,
): Uint8Array {
  const out = Uint8Array.from(record);
  const view = new DataView(out.buffer);
  view.setUint32(at.modified, modifiedAt >>> 0, true);
  const extra = out.length > at.extraBytes ? view.getUint16(at.extraBytes, true) : 0;
  if (extra >= 12) view.setUint32(at.modifiedExtra, Math.floor(modifiedAt / 2 ** 32) & 3, true);
  const s = superblock.read(superblockBytes);
  if (!(s.s_feature_ro_compat & roCompatMetadataCsum)) return out;
  const word = (value: number) => {
    const bytes = new Uint8Array(4);
    new DataView(bytes.buffer).setUint32(0, value, true);
    return bytes;
  };
  view.setUint16(at.checksumLow, 0, true);
  if (extra >= leastExtraBytes) view.setUint16(at.checksumHigh, 0, true);
  const seed = crc32cRegister(s.s_uuid);
  const own = crc32cRegister(word(view.getUint32(at.generation, true)), crc32cRegister(word(number), seed));
  const checksum = crc32cRegister(out, own);
  view.setUint16(at.checksumLow, checksum & 0xffff, true);
  if (extra >= leastExtraBytes) view.setUint16(at.checksumHigh, checksum >>> 16, true);
  return out;
}
