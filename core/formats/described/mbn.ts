// The header of 40 bytes before loaders of older phones. It carries no mark: it is taken for one only where its sizes and addresses agree
// with each other and with the file (layout: coreboot, util/qualcomm/mbn_tools.py, "Boot_Hdr"; from memory).

/** What such a header says. */
export interface Mbn {
  readonly imageId: number;
  readonly version: number;
  /** Where the code is loaded to. */
  readonly address: number;
  readonly codeBytes: number;
  readonly signatureBytes: number;
  readonly certificateBytes: number;
}

const headerBytes = 40;
/** Numbers of images and versions of headers that there are. */
const most = { imageId: 0x40, version: 8 };

/** By its header; undefined for anything else. */
export function readMbn(head: Uint8Array, bytes: number): Mbn | undefined {
  if (head.length < headerBytes) return undefined;
  const view = new DataView(head.buffer, head.byteOffset, headerBytes);
  const words = Array.from({ length: headerBytes / 4 }, (_, i) => view.getUint32(i * 4, true));
  const [
    imageId,
    version,
    ,
    address,
    imageBytes,
    codeBytes,
    signatureAt,
    signatureBytes,
    chainAt,
    chainBytes,
  ] = words as [number, number, number, number, number, number, number, number, number, number];
  const isOne =
    imageId <= most.imageId &&
    version > 0 &&
    version <= most.version &&
    codeBytes > 0 &&
    imageBytes === codeBytes + signatureBytes + chainBytes &&
    headerBytes + imageBytes <= bytes &&
    // Without a signature nothing need be said of where it lies.
    (signatureBytes === 0 ||
      (signatureAt === address + codeBytes && chainAt === signatureAt + signatureBytes)) &&
    (signatureBytes > 0 || chainBytes === 0) &&
    address > 0;
  return isOne
    ? { imageId, version, address, codeBytes, signatureBytes, certificateBytes: chainBytes }
    : undefined;
}
