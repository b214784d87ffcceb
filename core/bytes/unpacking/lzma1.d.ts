/** Unpacks a .lzma file: properties, size of the dictionary, size, stream. @throws Error when it is damaged */
export function decompress(data: Uint8Array): Uint8Array;
