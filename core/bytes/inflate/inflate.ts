import { unpack } from '#deflate';
import { FormatError } from '../format-error.ts';

const mostUnpacked = 256 << 20;

/** What a gzip holds (RFC 1952). @throws FormatError when it is not whole, or holds more than any boot image does */
export const gunzip = (bytes: Uint8Array, most = mostUnpacked): Promise<Uint8Array> =>
  unpacked('gzip', bytes, most);

/**
 * What a raw deflate stream holds (RFC 1951).
 * @param most the bytes it may hold at most
 * @throws FormatError when it is not whole, or holds more
 */
export const inflateRaw = (bytes: Uint8Array, most: number): Promise<Uint8Array> =>
  unpacked('deflate-raw', bytes, most);

async function unpacked(
  format: 'gzip' | 'deflate-raw',
  bytes: Uint8Array,
  most: number,
): Promise<Uint8Array> {
  try {
    return await unpack(format, bytes, most);
  } catch (error) {
    throw new FormatError(format, 'data', 0, (error as Error).message);
  }
}
