// APKs made by aapt and signed by apksigner (Debian's android-sdk tools) from sources that are written here, and
// the platform's own framework-res.apk; our reader against `aapt dump badging` and `apksigner verify --print-certs`.
import { execFileSync } from 'node:child_process';
import { createHash, createPrivateKey, sign, X509Certificate } from 'node:crypto';
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { crc32, deflateSync } from 'node:zlib';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { memorySource } from '../../bytes/source.ts';
import { inspectImage } from '../inspect/inspect.ts';
import { readApk, readIcon, writeApk, type ApkPlan } from './apk.ts';
import { platformStrings } from './platform-strings.ts';
import { readV4Signature } from './v4-signature.ts';

const framework = '/usr/share/android-framework-res/framework-res.apk';
const folder = mkdtempSync(join(tmpdir(), 'keen-larder-apk-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const manifest = `<?xml version="1.0" encoding="utf-8"?>
<manifest xmlns:android="http://schemas.android.com/apk/res/android" package="example.marshlog"
    android:versionCode="4107" android:versionCodeMajor="2" android:versionName="4.1.7 ü"
    android:sharedUserId="example.saltmere">
  <uses-sdk android:minSdkVersion="23" android:targetSdkVersion="29" />
  <uses-permission android:name="android.permission.CAMERA" />
  <uses-permission android:name="android.permission.ACCESS_FINE_LOCATION" />
  <uses-permission-sdk-23 android:name="android.permission.RECORD_AUDIO" />
  <application android:label="@string/app_name" android:icon="@mipmap/icon" android:hasCode="false"
      android:allowBackup="false">
    <activity android:name=".Main">
      <intent-filter>
        <action android:name="android.intent.action.MAIN" />
        <category android:name="android.intent.category.LAUNCHER" />
        <category android:name="android.intent.category.HOME" />
      </intent-filter>
    </activity>
    <service android:name=".Keys" android:permission="android.permission.BIND_INPUT_METHOD" />
  </application>
</manifest>
`;

/** A picture of one colour (W3C, PNG specification). */
function png(size: number): Buffer {
  const chunk = (type: string, data: Buffer) => {
    const body = Buffer.concat([Buffer.from(type), data]);
    const word = (value: number) =>
      Buffer.from([value >>> 24, value >>> 16, value >>> 8, value].map((each) => each & 255));
    return Buffer.concat([word(data.length), body, word(crc32(body))]);
  };
  const header = Buffer.alloc(13);
  header.writeUInt32BE(size, 0);
  header.writeUInt32BE(size, 4);
  header.set([8, 2], 8);
  const row = Buffer.concat([Buffer.of(0), Buffer.alloc(size * 3, 0x5a)]);
  const rows = Buffer.concat(Array.from({ length: size }, () => row));
  return Buffer.concat([
    Buffer.from('\x89PNG\r\n\x1a\n', 'latin1'),
    chunk('IHDR', header),
    chunk('IDAT', deflateSync(rows)),
    chunk('IEND', Buffer.alloc(0)),
  ]);
}

function put(path: string, bytes: string | Buffer): void {
  mkdirSync(join(folder, path, '..'), { recursive: true });
  writeFileSync(join(folder, path), bytes);
}

const run = (command: string, ...args: string[]) =>
  execFileSync(command, args, { cwd: folder, encoding: 'utf8' });
const apk = (name: string) => memorySource(readFileSync(join(folder, name)));

beforeAll(() => {
  put('AndroidManifest.xml', manifest);
  put('res/values/strings.xml', '<resources><string name="app_name">Marshlog</string></resources>');
  put('res/values-de/strings.xml', '<resources><string name="app_name">Marschbuch</string></resources>');
  for (const [density, size] of [
    ['mdpi', 12],
    ['xhdpi', 24],
    ['xxxhdpi', 48],
  ] as const) {
    put(`res/mipmap-${density}/icon.png`, png(size));
  }
  run(
    'aapt',
    'package',
    '-f',
    '-M',
    'AndroidManifest.xml',
    '-S',
    'res',
    '-I',
    framework,
    '-F',
    'unsigned.apk',
  );
  for (const abi of ['arm64-v8a', 'x86_64']) put(`lib/${abi}/libmarsh.so`, `\x7fELF ${abi}`);
  run('zip', '-q', '-r', 'unsigned.apk', 'lib');
  run(
    ...(['keytool', '-genkeypair', '-keystore', 'keys', '-storepass', 'saltmere', '-alias', 'one'] as const),
    ...['-keyalg', 'RSA', '-keysize', '2048', '-dname', 'CN=Saltmere', '-validity', '9000'],
  );
});

/** What `aapt dump badging` says of one thing. */
const badging = (name: string) => run('aapt', 'dump', 'badging', name);
const quoted = (text: string, key: string) => new RegExp(`\\b${key}='([^']*)'`).exec(text)?.[1];
const line = (text: string, key: string) => new RegExp(`^${key}:(.*)$`, 'm').exec(text)?.[1];

describe('an APK that aapt made', () => {
  it('is read as aapt itself describes it', async () => {
    const told = badging('unsigned.apk');
    const found = await readApk(apk('unsigned.apk'));
    expect(found).toMatchObject({
      package: quoted(told, 'name'),
      versionName: quoted(told, 'versionName'),
      minSdk: Number(line(told, 'sdkVersion')!.replaceAll("'", '')),
      targetSdk: Number(line(told, 'targetSdkVersion')!.replaceAll("'", '')),
      label: line(told, 'application-label')!.replaceAll("'", ''),
      abis: line(told, 'native-code')!
        .match(/[\w-]+/g)!
        .sort(),
      debuggable: told.includes('application-debuggable'),
      allowsBackup: !/allowBackup\(0x01010280\)=\(type 0x12\)0x0/.test(
        run('aapt', 'dump', 'xmltree', 'unsigned.apk', 'AndroidManifest.xml'),
      ),
    });
    // aapt tells the lower half alone.
    expect(found.versionCode % 2 ** 32).toBe(Number(quoted(told, 'versionCode')));
    expect(Math.floor(found.versionCode / 2 ** 32)).toBe(2);
    expect(found.permissions).toEqual(
      [...told.matchAll(/^uses-permission(?:-sdk-23)?: name='([^']+)'/gm)].map(([, name]) => name).sort(),
    );
    // What this manifest says that badging does not tell.
    expect(found).toMatchObject({
      sharedUserId: 'example.saltmere',
      duties: ['home', 'keyboard', 'launcher'],
    });
    expect(found.signing).toBeUndefined();
  });

  it('has the icon that aapt names for its density', async () => {
    const { iconPath } = await readApk(apk('unsigned.apk'));
    expect(iconPath).toBe(
      quoted(`x='${line(badging('unsigned.apk'), 'application-icon-320')!.replaceAll("'", '')}'`, 'x'),
    );
    const icon = Buffer.from(await readIcon(apk('unsigned.apk'), iconPath!));
    expect(icon.equals(execFileSync('unzip', ['-p', join(folder, 'unsigned.apk'), iconPath!]))).toBe(true);
  });

  it.each([
    [
      'v1',
      ['--v1-signing-enabled', 'true', '--v2-signing-enabled', 'false', '--v3-signing-enabled', 'false'],
    ],
    ['v2', ['--v1-signing-enabled', 'true', '--v2-signing-enabled', 'true', '--v3-signing-enabled', 'false']],
    ['v3', ['--v1-signing-enabled', 'true', '--v2-signing-enabled', 'true', '--v3-signing-enabled', 'true']],
  ])('signed by %s has the signer that apksigner prints', async (scheme, options) => {
    const name = `${scheme}.apk`;
    const keys = ['--ks', 'keys', '--ks-pass', 'pass:saltmere', '--min-sdk-version', '23'];
    run('apksigner', 'sign', ...keys, ...options, '--out', name, 'unsigned.apk');
    const told = run('apksigner', 'verify', '--print-certs', name);
    const digest = /certificate SHA-256 digest: ([0-9a-f]{64})/.exec(told)![1]!;
    expect((await readApk(apk(name))).signing).toEqual({ scheme, certificates: [digest] });
  });
});

describe('an APK of several signers', () => {
  const keyOf = (alias: string) => ['--ks', 'keys', '--ks-pass', 'pass:saltmere', '--ks-key-alias', alias];
  const printed = (name: string, ...options: string[]) =>
    [
      ...run('apksigner', 'verify', '--print-certs', ...options, name).matchAll(
        /certificate SHA-256 digest: ([0-9a-f]{64})/g,
      ),
    ].map(([, digest]) => digest);
  beforeAll(() => {
    for (const alias of ['two', 'three'])
      run(
        ...([
          'keytool',
          '-genkeypair',
          '-keystore',
          'keys',
          '-storepass',
          'saltmere',
          '-alias',
          alias,
        ] as const),
        ...['-keyalg', 'RSA', '-keysize', '2048', '-dname', `CN=Saltmere ${alias}`, '-validity', '9000'],
      );
  });

  it.each([
    ['v1', ['--v1-signing-enabled', 'true', '--v2-signing-enabled', 'false']],
    ['v2', ['--v1-signing-enabled', 'false', '--v2-signing-enabled', 'true']],
  ])('by %s has all that apksigner prints', async (scheme, options) => {
    const name = `two-${scheme}.apk`;
    const signers = [...keyOf('one'), '--next-signer', ...keyOf('two')];
    const about = [...options, '--v3-signing-enabled', 'false', '--min-sdk-version', '24'];
    run('apksigner', 'sign', ...signers, ...about, '--out', name, 'unsigned.apk');
    const { signing } = await readApk(apk(name));
    expect(signing?.scheme).toBe(scheme);
    expect([...signing!.certificates].sort()).toEqual(printed(name, '--min-sdk-version', '24').sort());
    expect(new Set(signing!.certificates).size).toBe(2);
  });

  it('names the one who signed where the one before stands beside', async () => {
    const [two, three] = [keyOf('two'), keyOf('three')];
    run('apksigner', 'rotate', '--out', 'lineage', '--old-signer', ...two, '--new-signer', ...three);
    const signers = [...two, '--next-signer', ...three, '--lineage', 'lineage'];
    run('apksigner', 'sign', ...signers, '--min-sdk-version', '28', '--out', 'rotated.apk', 'unsigned.apk');
    const signing = { scheme: 'v3', certificates: [certificateOf('three')] };
    expect((await readApk(apk('rotated.apk'))).signing).toEqual(signing);
    // Scheme v3.1 is v3 under another number (Android, "APK Signature Scheme v3.1"); no tool here signs by it.
    const bytes = readFileSync(join(folder, 'rotated.apk'));
    const at = bytes.lastIndexOf(Buffer.from([0xc0, 0x68, 0x53, 0xf0]));
    bytes.writeUInt32LE(0x1b93ad61, at);
    put('rotated-31.apk', bytes);
    expect((await readApk(apk('rotated-31.apk'))).signing).toEqual({ ...signing, scheme: 'v3.1' });
  });

  it('has a signature beside it that is told for what it is (v4)', async () => {
    const about = ['--v4-signing-enabled', 'true', '--min-sdk-version', '30'];
    run('apksigner', 'sign', ...keyOf('one'), ...about, '--out', 'beside.apk', 'unsigned.apk');
    const beside = readFileSync(join(folder, 'beside.apk.idsig'));
    expect(await inspectImage(memorySource(beside))).toMatchObject({
      format: 'APK signature (scheme v4)',
      fields: { certificate: certificateOf('one'), 'block size': 4096 },
    });
    // By the rules of the tree: leaves of 4096 bytes, nodes of digests filled up with zeros.
    const sha = (bytes: Uint8Array) => createHash('sha256').update(bytes).digest();
    let level = readFileSync(join(folder, 'beside.apk'));
    for (let isLeaf = true; isLeaf || level.length > 4096; isLeaf = false) {
      const digests: Buffer[] = [];
      for (let at = 0; at < level.length; at += 4096)
        digests.push(sha(Buffer.concat([level.subarray(at, at + 4096)], 4096)));
      level = Buffer.concat(digests);
    }
    const root = sha(Buffer.concat([level], 4096)).toString('hex');
    expect(readV4Signature(beside)?.rootHash).toBe(root);
  });

  const certificateOf = (alias: string) => {
    const args = ['-exportcert', '-keystore', 'keys', '-storepass', 'saltmere', '-alias', alias] as const;
    return createHash('sha256')
      .update(execFileSync('keytool', args, { cwd: folder, stdio: ['ignore', 'pipe', 'ignore'] }))
      .digest('hex');
  };
});

it('an APK whose version and label stand elsewhere is read by its resources, as aapt dumps them', async () => {
  put(
    'elsewhere/AndroidManifest.xml',
    `<manifest xmlns:android="http://schemas.android.com/apk/res/android" package="example.elsewhere"
      android:versionCode="@integer/code" android:versionName="@string/version">
      <uses-sdk android:minSdkVersion="23" android:targetSdkVersion="29" />
      <application android:label="@android:string/untitled" android:hasCode="false" /></manifest>`,
  );
  put(
    'elsewhere/res/values/all.xml',
    '<resources><integer name="code">8123</integer><string name="version">8.1 β</string></resources>',
  );
  const from = ['-M', 'elsewhere/AndroidManifest.xml', '-S', 'elsewhere/res', '-I', framework];
  run('aapt', 'package', '-f', ...from, '-F', 'elsewhere.apk');
  // What `badging` does not follow.
  const values = run('aapt', 'dump', '--values', 'resources', 'elsewhere.apk');
  const code = /integer\/code: t=0x10 d=0x([0-9a-f]{8})/.exec(values)![1]!;
  const version = /string\/version: [^\n]*\n\s*\(string(?:8|16)\) "(.*)"/.exec(values)![1];
  const found = await readApk(apk('elsewhere.apk'));
  expect(found).toMatchObject({
    versionCode: Number.parseInt(code, 16),
    versionName: version,
    label: '<Untitled>',
  });
});

it('an APK with the platform’s label and nothing of its own is read, and the platform’s texts are as it has them', async () => {
  put(
    'bare/AndroidManifest.xml',
    `<manifest xmlns:android="http://schemas.android.com/apk/res/android" package="example.bare" android:versionCode="1">
      <uses-sdk android:minSdkVersion="23" /><application android:label="@android:string/autofill" android:hasCode="false" /></manifest>`,
  );
  run('aapt', 'package', '-f', '-M', 'bare/AndroidManifest.xml', '-I', framework, '-F', 'bare.apk');
  expect(run('unzip', '-l', 'bare.apk')).not.toMatch(/resources\.arsc/);
  expect((await readApk(apk('bare.apk'))).label).toBe('Autofill');
  const values = execFileSync('aapt', ['dump', '--values', 'resources', framework], {
    encoding: 'utf8',
    maxBuffer: 1 << 28,
  });
  for (const [id, text] of platformStrings) {
    const head = `resource 0x0${id.toString(16)} android:string/`;
    const rest = values.slice(values.search(new RegExp(`${head}\\w+: t=`)));
    expect(/\(string(?:8|16)\) "(.*)"$/m.exec(rest)?.[1], head).toBe(text);
  }
});

describe('an APK that is made here', () => {
  const plan: ApkPlan = {
    package: 'example.ringcode',
    versionCode: 37,
    versionName: '3.7 – spring',
    minSdk: 24,
    targetSdk: 28,
    sharedUserId: 'example.saltmere',
    label: 'Ringcode',
    icon: png(24),
    permissions: ['android.permission.CAMERA', 'android.permission.INTERNET'],
    duties: ['home', 'keyboard', 'dialer', 'messages', 'launcher'],
    files: [
      { name: 'classes.dex', bytes: Buffer.alloc(2_500_001, 'dex') },
      { name: 'lib/arm64-v8a/libring.so', bytes: Buffer.from('\x7fELF') },
    ],
  };
  let digest: string;
  beforeAll(() => {
    run(
      ...(['openssl', 'req', '-x509', '-newkey', 'rsa:2048', '-nodes', '-sha256'] as const),
      ...['-subj', '/CN=Saltmere', '-keyout', 'key.pem', '-out', 'cert.pem', '-outform', 'PEM'],
    );
    const key = createPrivateKey(readFileSync(join(folder, 'key.pem')));
    const certificate = new X509Certificate(readFileSync(join(folder, 'cert.pem')));
    digest = createHash('sha256').update(certificate.raw).digest('hex');
    put(
      'made.apk',
      Buffer.from(
        writeApk(plan, {
          certificate: certificate.raw,
          publicKey: certificate.publicKey.export({ type: 'spki', format: 'der' }),
          sha256: (bytes) => createHash('sha256').update(bytes).digest(),
          sign: (bytes) => sign('sha256', bytes, key),
        }),
      ),
    );
  });

  it('is what aapt reads in it, and unpacks', () => {
    const told = badging('made.apk');
    expect(quoted(told, 'name')).toBe('example.ringcode');
    expect(quoted(told, 'versionCode')).toBe('37');
    expect(quoted(told, 'versionName')).toBe('3.7 – spring');
    expect(line(told, 'application-label')).toBe(`'Ringcode'`);
    expect(line(told, 'application-icon-320')).toBe(`'res/mipmap-xhdpi-v4/icon.png'`);
    expect(line(told, 'sdkVersion')).toBe(`'24'`);
    expect(line(told, 'targetSdkVersion')).toBe(`'28'`);
    expect(line(told, 'native-code')).toBe(` 'arm64-v8a'`);
    for (const name of plan.permissions) expect(told).toContain(`uses-permission: name='${name}'`);
    expect(told).toMatch(/^provides-component:'ime'$/m);
    expect(run('unzip', '-t', 'made.apk')).toMatch(/No errors detected/);
  });

  it('is signed to apksigner’s satisfaction, and no longer when one byte changes', () => {
    expect(run('apksigner', 'verify', '--print-certs', 'made.apk')).toContain(digest);
    const spoilt = readFileSync(join(folder, 'made.apk'));
    spoilt[1_000_000]! ^= 1;
    put('spoilt.apk', spoilt);
    expect(() => run('apksigner', 'verify', 'spoilt.apk')).toThrow(/DOES NOT VERIFY|Command failed/);
  });

  it('is read back as it was planned', async () => {
    expect(await readApk(apk('made.apk'))).toEqual({
      package: plan.package,
      versionCode: 37,
      versionName: plan.versionName,
      minSdk: 24,
      targetSdk: 28,
      sharedUserId: plan.sharedUserId,
      label: 'Ringcode',
      iconPath: 'res/mipmap-xhdpi-v4/icon.png',
      debuggable: false,
      allowsBackup: true,
      permissions: plan.permissions,
      duties: plan.duties,
      abis: ['arm64-v8a'],
      signing: { scheme: 'v2', certificates: [digest] },
    });
    expect(
      Buffer.from(await readIcon(apk('made.apk'), 'res/mipmap-xhdpi-v4/icon.png')).equals(plan.icon!),
    ).toBe(true);
  });
});

it('the platform’s own resources, compiled by its makers, are read as aapt describes them', async () => {
  const told = execFileSync('aapt', ['dump', 'badging', framework], { encoding: 'utf8' });
  const found = await readApk(memorySource(readFileSync(framework)));
  expect(found).toMatchObject({
    package: quoted(told, 'name'),
    versionName: quoted(told, 'versionName'),
    versionCode: Number(quoted(told, 'versionCode')),
    label: line(told, 'application-label')!.replaceAll("'", ''),
  });
  expect(found.permissions).toEqual(
    [...told.matchAll(/^uses-permission: name='([^']+)'/gm)].map(([, name]) => name).sort(),
  );
});
