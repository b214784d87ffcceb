/** The operating system a boot image belongs to, as its header packs it into 32 bits. */
export interface OsVersion {
  /** e.g. `9.0.0` */
  readonly version: string;
  /** Security patch level, year and month: `2026-03`. */
  readonly patchLevel: string;
}

/** Unpacks A.B.C in the upper 21 bits and the patch level in the lower 11; 0 means not said. */
export function unpackOsVersion(packed: number): OsVersion | undefined {
  if (packed === 0) return undefined;
  const version = packed >>> 11;
  const patch = packed & 0x7ff;
  return {
    version: [(version >>> 14) & 0x7f, (version >>> 7) & 0x7f, version & 0x7f].join('.'),
    patchLevel: `${2000 + (patch >>> 4)}-${String(patch & 0xf).padStart(2, '0')}`,
  };
}

export function packOsVersion({ version, patchLevel }: OsVersion): number {
  const [a = 0, b = 0, c = 0] = version.split('.').map(Number);
  const [year = 2000, month = 0] = patchLevel.split('-').map(Number);
  return (((a << 14) | (b << 7) | c) * 2048 + (((year - 2000) << 4) | month)) >>> 0;
}
