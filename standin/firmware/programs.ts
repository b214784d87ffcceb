import { createHash, createPrivateKey, sign, X509Certificate } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { crc32, deflateSync } from 'node:zlib';
import { writeApk, type AppDuty, type ApkSigner } from '@keen-larder/core/formats/apk/apk.ts';
import { writeDex } from '@keen-larder/core/formats/dex/dex.ts';
import { filler } from './filler.ts';

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
  /** Other makers' code that it carries along: their classes. */
  readonly carries?: readonly string[];
  /** Of its icon. */
  readonly colour: readonly [red: number, green: number, blue: number];
}

const everywhere = ['arm64-v8a', 'armeabi-v7a'];
const app = (
  name: string,
  label: string,
  over: Partial<Program> & Pick<Program, 'colour' | 'permissions'>,
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
  over: Partial<Program> & Pick<Program, 'colour' | 'permissions'>,
): Program => app(name, label, { signer: 'platform', ...over });

const ownClasses = ['Main', 'Main$Parts', 'Notebook', 'Notebook$Row', 'Upkeep'];
const gullcount = ['beacon.Sender', 'beacon.Sender$Queue', 'install.Origin'].map(
  (name) => `example.gullcount.${name}`,
);
const shorelight = ['ads.Banner', 'ads.Banner$Taps', 'ads.Profile', 'ads.Auction'].map(
  (name) => `example.shorelight.${name}`,
);
const wrackline = ['crash.Reporter', 'crash.Trace'].map((name) => `example.wrackline.${name}`);

const green = [38, 97, 71] as const;
const slate = [70, 96, 125] as const;
const quince = [196, 148, 42] as const;
const beetroot = [142, 27, 74] as const;

/** The apps of Saltmere. */
export const programs = {
  tidebook: app('tidebook', 'Tidebook', {
    colour: green,
    abis: everywhere,
    carries: wrackline,
    permissions: ['CAMERA', 'ACCESS_FINE_LOCATION', 'INTERNET'],
  }),
  marshlog: app('marshlog', 'Marshlog', { colour: slate, permissions: ['ACCESS_FINE_LOCATION', 'INTERNET'] }),
  ringcode: app('ringcode', 'Ringcode', {
    colour: quince,
    abis: ['arm64-v8a'],
    permissions: ['CAMERA', 'READ_EXTERNAL_STORAGE'],
  }),
  almanac: app('almanac', 'Pocket Almanac Plus', {
    colour: green,
    carries: [...shorelight, ...gullcount],
    permissions: ['INTERNET'],
  }),
  harbourchat: app('harbourchat', 'Harbour Chat', {
    signer: 'harbour',
    colour: slate,
    abis: everywhere,
    carries: gullcount,
    permissions: ['CAMERA', 'RECORD_AUDIO', 'READ_CONTACTS', 'INTERNET'],
  }),
  reedmessenger: app('reedmessenger', 'Reed Messenger', {
    signer: 'harbour',
    colour: beetroot,
    permissions: ['READ_CONTACTS', 'READ_SMS', 'INTERNET'],
  }),
  dunebank: app('dunebank', 'Dune Bank', {
    signer: 'dune',
    colour: quince,
    targetSdk: 33,
    permissions: ['USE_BIOMETRIC', 'INTERNET'],
  }),
  ferrytimes: builtIn('ferrytimes', 'Ferry Times', { colour: slate, permissions: ['INTERNET'] }),
  pocketalmanac: builtIn('pocketalmanac', 'Pocket Almanac', { colour: green, permissions: [] }),
  hidebooker: builtIn('hidebooker', 'Hide Booker', {
    colour: quince,
    permissions: ['READ_CALENDAR', 'WRITE_CALENDAR', 'INTERNET'],
  }),
  home: builtIn('tide.home', 'Tide Home', {
    colour: slate,
    permissions: ['BIND_APPWIDGET'],
    duties: ['home'],
  }),
  settings: builtIn('tide.settings', 'Settings', {
    colour: slate,
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

/** One of many alike, for measuring. */
export function manyPrograms(name: string, seed: number, bytes: number): Buffer {
  const { signer, colour, permissions, carries = [], ...rest }: Program = programs.marshlog;
  const apk = writeApk(
    {
      ...rest,
      package: name,
      label: name,
      versionCode: 7,
      versionName: versionNameOf(7),
      icon: icon(colour),
      permissions: permissions.map((each) => `android.permission.${each}`),
      files: codeFiles(name, carries, seed, bytes),
    },
    signerOf(signer),
  );
  return Buffer.from(apk.buffer, apk.byteOffset, apk.byteLength);
}

/** The APK; the same bytes every time. */
export function programBytes({ program, versionCode, seed, bytes }: ProgramBuild): Buffer {
  const { signer, colour, permissions, abis, carries = [], ...rest }: Program = programs[program];
  const apk = writeApk(
    {
      ...rest,
      versionCode,
      versionName: versionNameOf(versionCode),
      icon: icon(colour),
      permissions: permissions.map((each) => `android.permission.${each}`),
      files: [
        ...codeFiles(rest.package, carries, seed, bytes),
        ...abis.map((abi, i) => ({
          name: `lib/${abi}/lib${program}.so`,
          bytes: filler('program', seed + 70 + i, 40_000),
        })),
      ],
    },
    signerOf(signer),
  );
  return Buffer.from(apk.buffer, apk.byteOffset, apk.byteLength);
}

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

const iconSize = 48;
const ground = [246, 239, 224] as const;

/** A round in one colour on linen (W3C, PNG specification). */
function icon(colour: Program['colour']): Buffer {
  const middle = (iconSize - 1) / 2;
  const row = (y: number) =>
    Buffer.from([
      0,
      ...Array.from({ length: iconSize }, (_, x) =>
        Math.hypot(x - middle, y - middle) < iconSize * 0.36 ? colour : ground,
      ).flat(),
    ]);
  const chunk = (type: string, data: Buffer) => {
    const out = Buffer.alloc(12 + data.length);
    out.writeUInt32BE(data.length, 0);
    out.write(type, 4, 'latin1');
    data.copy(out, 8);
    out.writeUInt32BE(crc32(out.subarray(4, 8 + data.length)), 8 + data.length);
    return out;
  };
  const header = Buffer.alloc(13);
  header.writeUInt32BE(iconSize, 0);
  header.writeUInt32BE(iconSize, 4);
  // Eight bits, red, green and blue.
  header.set([8, 2], 8);
  const rows = Buffer.concat(Array.from({ length: iconSize }, (_, y) => row(y)));
  return Buffer.concat([
    Buffer.from('\x89PNG\r\n\x1a\n', 'latin1'),
    chunk('IHDR', header),
    chunk('IDAT', deflateSync(rows)),
    chunk('IEND', Buffer.alloc(0)),
  ]);
}
