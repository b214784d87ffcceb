/**
 * Unpacks gzip (RFC 1952) or a raw deflate stream (RFC 1951).
 * @param most the bytes it may hold at most
 * @throws Error when it is not whole, or holds more
 */
export type Unpack = (format: 'gzip' | 'deflate-raw', bytes: Uint8Array, most: number) => Promise<Uint8Array>;
