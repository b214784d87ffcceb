/**
 * SHA-256 of the public keys, as verified-boot metadata holds them, that makers' bootloaders trust. A key that
 * is not listed may still be a maker's: then nothing says so. (These makers are invented.)
 */
const trusted: Readonly<Record<string, readonly string[]>> = {
  Tidewell: ['2e5981e694f5d012a00ed62cb672ee75a7e008194ce5cc1469d1758ed4082f15'],
  Marram: ['9e6e880df0a83e1e6ad822a32f487ae4daa4e10e38845870a532f96b46917464'],
};

/** Whether a key is its maker's; undefined when no key of that maker is known. @param digest lower-case hexadecimal */
export function isMakersKey(maker: string, digest: string): boolean | undefined {
  return trusted[maker]?.includes(digest);
}
