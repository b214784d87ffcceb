import { createHash, createPrivateKey, sign, X509Certificate } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { writeApk, type ApkPlan, type ApkSigner, type AppDuty } from '@keen-larder/core/formats/apk/apk.ts';
import { writeDex } from '@keen-larder/core/formats/dex/dex.ts';
import { filler } from './filler.ts';
import { icon, type Colour, type Shape } from './icons.ts';

/** Who signs the invented apps; the keys are as invented. */
type AppSigner = 'platform' | 'saltmere' | 'harbour' | 'dune';

/** An app's program, apart from its version and size. */
export interface Program {
  readonly package: string;
  readonly label: string;
  readonly signer: AppSigner;
  readonly minSdk: number;
  readonly targetSdk: number;
  /** Processors that it has native code for; none where it needs none. */
  readonly abis: readonly string[];
  /** Without `android.permission.` before them. */
  readonly permissions: readonly string[];
  readonly duties: readonly AppDuty[];
  readonly sharedUserId?: string;
  /** It forbids backups of the platform's own. */
  readonly allowsBackup?: false;
  /** Other makers' code that it carries along: their classes. */
  readonly carries?: readonly string[];
  /** Of its icon. */
  readonly colour: Colour;
  readonly shape: Shape;
}

const everywhere = ['arm64-v8a', 'armeabi-v7a'];
const app = (
  name: string,
  label: string,
  over: Partial<Program> & Pick<Program, 'colour' | 'shape' | 'permissions'>,
): Program => ({
  package: `example.${name}`,
  label,
  signer: 'saltmere',
  minSdk: 24,
  targetSdk: 28,
  abis: [],
  duties: ['launcher'],
  ...over,
});
const builtIn = (
  name: string,
  label: string,
  over: Partial<Program> & Pick<Program, 'colour' | 'shape' | 'permissions'>,
): Program => app(name, label, { signer: 'platform', ...over });

const ownClasses = ['Main', 'Main$Parts', 'Notebook', 'Notebook$Row', 'Upkeep'];
const gullcount = ['beacon.Sender', 'beacon.Sender$Queue', 'install.Origin'].map(
  (name) => `example.gullcount.${name}`,
);
const shorelight = ['ads.Banner', 'ads.Banner$Taps', 'ads.Profile', 'ads.Auction'].map(
  (name) => `example.shorelight.${name}`,
);
const wrackline = ['crash.Reporter', 'crash.Trace'].map((name) => `example.wrackline.${name}`);

/** Code of other makers, as some apps carry it along. */
export const carried = { gullcount, shorelight, wrackline } as const;

const green = [38, 97, 71] as const;
const slate = [70, 96, 125] as const;
const quince = [196, 148, 42] as const;
const beetroot = [142, 27, 74] as const;

/** The apps of Saltmere. */
export const programs = {
  tidebook: app('tidebook', 'Tidebook', {
    colour: green,
    shape: 'wave',
    abis: everywhere,
    carries: wrackline,
    permissions: ['CAMERA', 'ACCESS_FINE_LOCATION', 'INTERNET'],
  }),
  marshlog: app('marshlog', 'Marshlog', {
    colour: slate,
    shape: 'bars',
    permissions: ['ACCESS_FINE_LOCATION', 'INTERNET'],
  }),
  ringcode: app('ringcode', 'Ringcode', {
    colour: quince,
    shape: 'ring',
    abis: ['arm64-v8a'],
    permissions: ['CAMERA', 'READ_EXTERNAL_STORAGE'],
  }),
  almanac: app('almanac', 'Pocket Almanac Plus', {
    colour: green,
    shape: 'flower',
    carries: [...shorelight, ...gullcount],
    permissions: ['INTERNET'],
  }),
  harbourchat: app('harbourchat', 'Harbour Chat', {
    signer: 'harbour',
    colour: slate,
    shape: 'half',
    abis: everywhere,
    carries: gullcount,
    permissions: ['CAMERA', 'RECORD_AUDIO', 'READ_CONTACTS', 'INTERNET'],
  }),
  reedmessenger: app('reedmessenger', 'Reed Messenger', {
    signer: 'harbour',
    colour: beetroot,
    shape: 'saltire',
    allowsBackup: false,
    permissions: ['READ_CONTACTS', 'READ_SMS', 'INTERNET'],
  }),
  dunebank: app('dunebank', 'Dune Bank', {
    signer: 'dune',
    colour: quince,
    shape: 'triangle',
    targetSdk: 33,
    permissions: ['USE_BIOMETRIC', 'INTERNET'],
  }),
  ferrytimes: builtIn('ferrytimes', 'Ferry Times', {
    colour: slate,
    shape: 'roof',
    permissions: ['INTERNET'],
  }),
  pocketalmanac: builtIn('pocketalmanac', 'Pocket Almanac', {
    colour: green,
    shape: 'disc',
    permissions: [],
  }),
  hidebooker: builtIn('hidebooker', 'Hide Booker', {
    colour: quince,
    shape: 'frame',
    permissions: ['READ_CALENDAR', 'WRITE_CALENDAR', 'INTERNET'],
  }),
  home: builtIn('tide.home', 'Tide Home', {
    colour: slate,
    shape: 'square',
    permissions: ['BIND_APPWIDGET'],
    duties: ['home'],
  }),
  settings: builtIn('tide.settings', 'Settings', {
    colour: slate,
    shape: 'star',
    permissions: ['WRITE_SECURE_SETTINGS'],
    sharedUserId: 'android.uid.system',
  }),
} as const satisfies Record<string, Program>;

export type ProgramName = keyof typeof programs;

/** A program in one version. */
export interface ProgramBuild {
  readonly program: ProgramName;
  readonly versionCode: number;
  readonly seed: number;
  /** Of its code, about. */
  readonly bytes: number;
}

/** `41` is 4.1. */
export const versionNameOf = (versionCode: number): string =>
  `${Math.floor(versionCode / 10)}.${versionCode % 10}`;

/** Classes of an app, and something for its size. */
const codeFiles = (name: string, carries: readonly string[], seed: number, bytes: number) => [
  { name: 'classes.dex', bytes: writeDex([...ownClasses.map((each) => `${name}.${each}`), ...carries]) },
  { name: 'assets/tables.bin', bytes: filler('program', seed, bytes) },
];

/** Made before, as long as there is room for them. */
const made = new Map<string, WeakRef<Buffer>>();

/** One version of an app, in one APK; the same bytes every time, and not to be changed. @param over instead of what it has otherwise */
export function apkOf(
  program: Program,
  build: Omit<ProgramBuild, 'program'>,
  over: Partial<ApkPlan> = {},
): Buffer {
  if (Object.keys(over).length > 0) return makeApk(program, build, over);
  const key = JSON.stringify([program, build]);
  const apk = made.get(key)?.deref() ?? makeApk(program, build, over);
  made.set(key, new WeakRef(apk));
  return apk;
}

function makeApk(
  program: Program,
  { versionCode, seed, bytes }: Omit<ProgramBuild, 'program'>,
  over: Partial<ApkPlan>,
): Buffer {
  const { signer, colour, shape, permissions, abis, carries = [], ...rest } = program;
  const ownName = rest.package.split('.').at(-1)!;
  const apk = writeApk(
    {
      ...rest,
      versionCode,
      versionName: versionNameOf(versionCode),
      icon: icon(shape, colour),
      permissions: permissions.map((each) => `android.permission.${each}`),
      files: [
        ...codeFiles(rest.package, carries, seed, bytes),
        ...abis.map((abi, i) => ({
          name: `lib/${abi}/lib${ownName}.so`,
          bytes: filler('program', seed + 70 + i, 40_000),
        })),
      ],
      ...over,
    },
    signerOf(signer),
  );
  return Buffer.from(apk.buffer, apk.byteOffset, apk.byteLength);
}

/** One of many alike, for measuring. */
export const manyPrograms = (name: string, seed: number, bytes: number): Buffer =>
  apkOf({ ...programs.marshlog, package: name, label: name }, { versionCode: 7, seed, bytes });

export const programBytes = ({ program, ...build }: ProgramBuild): Buffer => apkOf(programs[program], build);

const signers = new Map<AppSigner, ApkSigner>();

function signerOf(name: AppSigner): ApkSigner {
  const known = signers.get(name);
  if (known) return known;
  const read = (kind: 'key' | 'cert') =>
    readFileSync(join(import.meta.dirname, 'keys', 'apps', `${name}.${kind}.pem`));
  const key = createPrivateKey(read('key'));
  const certificate = new X509Certificate(read('cert'));
  const made: ApkSigner = {
    certificate: certificate.raw,
    publicKey: certificate.publicKey.export({ type: 'spki', format: 'der' }),
    sha256: (bytes) => createHash('sha256').update(bytes).digest(),
    sign: (bytes) => sign('sha256', bytes, key),
  };
  signers.set(name, made);
  return made;
}
