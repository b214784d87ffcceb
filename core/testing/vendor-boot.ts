/**
 * A vendor boot image by the published layout (AOSP system/tools/mkbootimg, bootimg.h), with plain offsets:
 * Debian's mkbootimg does not make these.
 */
export function vendorBoot(version: 3 | 4, change: (bytes: Buffer) => void = () => undefined): Buffer {
  const page = 4096;
  const ramdisks = Buffer.concat([Buffer.alloc(5000, 'platform'), Buffer.alloc(900, 'dlkm')]);
  const dtb = Buffer.alloc(300, 'dtb');
  const table = Buffer.alloc(2 * 108);
  [
    [5000, 0, 1, ''],
    [900, 5000, 3, 'dlkm'],
  ].forEach(([bytes, offset, type, name], i) => {
    table.writeUInt32LE(Number(bytes), i * 108);
    table.writeUInt32LE(Number(offset), i * 108 + 4);
    table.writeUInt32LE(Number(type), i * 108 + 8);
    table.write(String(name), i * 108 + 12);
  });
  const bootconfig = Buffer.from('androidboot.hardware=knot5\n');
  const header = Buffer.alloc(page);
  header.write('VNDRBOOT', 0);
  [version, page, 0x10008000, 0x11000000, ramdisks.length].forEach((value, i) =>
    header.writeUInt32LE(value, 8 + i * 4),
  );
  header.write('console=ttyS0', 28);
  header.writeUInt32LE(0x10000100, 2076);
  header.write('knot5', 2080);
  header.writeUInt32LE(version === 4 ? 2128 : 2112, 2096);
  header.writeUInt32LE(dtb.length, 2100);
  if (version === 4)
    [table.length, 2, 108, bootconfig.length].forEach((value, i) =>
      header.writeUInt32LE(value, 2112 + i * 4),
    );
  const padded = (bytes: Buffer) =>
    Buffer.concat([bytes, Buffer.alloc((page - (bytes.length % page)) % page)]);
  const parts = version === 4 ? [ramdisks, dtb, table, bootconfig] : [ramdisks, dtb];
  const bytes = Buffer.concat([header, ...parts.map(padded)]);
  change(bytes);
  return bytes;
}
