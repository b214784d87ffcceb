/** Who made a model and how it names itself. */
export interface Product {
  readonly maker: string;
  readonly model: string;
  readonly device: string;
  readonly abis: string;
}

export const knot3: Product = {
  maker: 'Tidewell',
  model: 'Knot 3',
  device: 'knot3',
  abis: 'arm64-v8a,armeabi-v7a,armeabi',
};
export const knot5: Product = { maker: 'Tidewell', model: 'Knot 5', device: 'knot5', abis: 'arm64-v8a' };
export const sedge10: Product = {
  maker: 'Marram',
  model: 'Sedge 10',
  device: 'sedge10',
  abis: 'armeabi-v7a,armeabi',
};
export const reed2: Product = {
  maker: 'Marram',
  model: 'Reed 2',
  device: 'reed2',
  abis: 'arm64-v8a,armeabi-v7a,armeabi',
};
export const rush4: Product = { maker: 'Marram', model: 'Rush 4', device: 'rush4', abis: 'arm64-v8a' };

/** A firmware build: what its system says of itself, and the kernel that goes with it. */
export interface FirmwareBuild {
  readonly product: Product;
  /** The build's own number, as `ro.build.id`. */
  readonly id: string;
  /** Android version, `9`. */
  readonly release: string;
  readonly sdk: number;
  /** `YYYY-MM-DD` */
  readonly patch: string;
  /** Seconds since 1970. */
  readonly date: string;
  readonly rooted: boolean;
  /** The community made it and signed it with keys that everybody has: what it calls itself. */
  readonly communitySystem?: string;
  /** Of the programs that this build changed. */
  readonly seed: number;
  /** Of its kernel and ramdisk. */
  readonly kernelSeed: number;
}

/** Builds by the name of their system's template. */
export const firmwareBuilds = {
  'system-january': {
    product: knot3,
    id: 'TW3.260105.002',
    release: '9',
    sdk: 28,
    patch: '2026-01-05',
    date: '1767571200',
    rooted: false,
    seed: 1000,
    kernelSeed: 301,
  },
  'system-march': {
    product: knot3,
    id: 'TW3.260301.004',
    release: '9',
    sdk: 28,
    patch: '2026-03-05',
    date: '1772323200',
    rooted: true,
    seed: 2000,
    kernelSeed: 311,
  },
  'system-estuary': {
    product: knot3,
    id: 'EST10.260620',
    release: '10',
    sdk: 29,
    patch: '2026-06-05',
    date: '1781913600',
    rooted: true,
    communitySystem: 'Estuary',
    seed: 2500,
    kernelSeed: 331,
  },
  'knot5-system': {
    product: knot5,
    id: 'TW5.260905.011',
    release: '14',
    sdk: 34,
    patch: '2026-09-05',
    date: '1788566400',
    rooted: true,
    seed: 3000,
    kernelSeed: 501,
  },
  'sedge10-system': {
    product: sedge10,
    id: 'MS10.260601.003',
    release: '11',
    sdk: 30,
    patch: '2026-06-05',
    date: '1780272000',
    rooted: false,
    seed: 4000,
    kernelSeed: 601,
  },
  'reed2-system': {
    product: reed2,
    id: 'MR2.260401.007',
    release: '11',
    sdk: 30,
    patch: '2026-04-05',
    date: '1775001600',
    rooted: false,
    seed: 5000,
    kernelSeed: 701,
  },
  'rush4-system': {
    product: rush4,
    id: 'MR4.260805.002',
    release: '13',
    sdk: 33,
    patch: '2026-08-05',
    date: '1785888000',
    rooted: false,
    seed: 8000,
    kernelSeed: 801,
  },
} as const satisfies Record<string, FirmwareBuild>;

export type SystemBuild = keyof typeof firmwareBuilds;
