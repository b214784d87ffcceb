// Phones that stand in a recovery with user data open, and install archives by the tools that recoveries have.
import { execFileSync } from 'node:child_process';
import {
  chmodSync,
  chownSync,
  copyFileSync,
  mkdirSync,
  readFileSync,
  symlinkSync,
  writeFileSync,
} from 'node:fs';
import { dirname, join } from 'node:path';
import { isLong } from '../effort.ts';
import { census, mounted } from './odd-files.ts';
import { UserlandPhone, type Personality } from './userland-phone.ts';

/** Name, tools, and what runs a script. */
export const recoveries: readonly (readonly [string, Personality, string])[] = [
  ['mksh and toybox', { mode: 'recovery', tools: 'toybox', root: 'daemon' }, 'sh'],
  ['busybox sh and its tools', { mode: 'recovery', tools: 'busybox', root: 'daemon' }, 'busybox sh'],
];
/** Of a recovery: which Android it was made of says nothing of the phone's. */
const usual = { 'ro.product.model': 'Knot 3', 'ro.build.version.sdk': '35' };

/** Lays a file, and the folders above it. */
export function layFile(
  root: string,
  path: string,
  bytes: Uint8Array | string,
  owner: number,
  mode = 0o600,
  group = owner,
): void {
  const full = join(root, path);
  mkdirSync(dirname(full), { recursive: true });
  writeFileSync(full, bytes);
  chownSync(full, owner, group);
  chmodSync(full, mode);
}

export const packagesList = (rows: readonly string[]): string => rows.map((row) => `${row}\n`).join('');
export const listed = (name: string, uid: number, version: number): string =>
  `${name} ${uid} 0 /data/user/0/${name} default:targetSdkVersion=28 none 0 ${version} 1 @null`;

/** What a system notes of its own Android in user data (AOSP frameworks/base, Settings.java). */
export const packagesXml = (sdk: number): string =>
  `<?xml version='1.0' encoding='utf-8' standalone='yes' ?>\n<packages>\n    <version sdkVersion="${sdk}" databaseVersion="3" fingerprint="x" />\n    <version volumeUuid="primary_physical" sdkVersion="${sdk}" />\n</packages>\n`;

export interface ArchivePhone {
  readonly properties?: Readonly<Record<string, string>>;
  readonly mebibytes?: number;
  readonly shims?: Readonly<Record<string, string>>;
}

const unpackScript = 'unzip -p /apps.zip META-INF/com/google/android/update-binary > /tmp/update-binary';

export class ArchivePhones {
  private readonly open: UserlandPhone[] = [];
  private readonly roots = new Map<UserlandPhone, string>();

  /** @param path of their files, and of what is looked at */
  constructor(
    private readonly path: string,
    private readonly personality: Personality,
    private readonly shell: string,
  ) {
    mkdirSync(path);
  }

  async close(): Promise<void> {
    for (const each of this.open) await each.close();
  }

  /** A phone with an archive, and with user data open. @param lay what user data have */
  async start(
    archive: string,
    lay: (root: string) => void,
    { properties = {}, mebibytes = 24, shims = {} }: ArchivePhone = {},
  ): Promise<UserlandPhone> {
    const at = join(this.path, String(this.open.length));
    mkdirSync(at);
    const image = join(at, 'userdata');
    const options = ['-q', '-t', 'ext4', '-O', '^has_journal', '-m', '0', '-N', '2000'];
    execFileSync('mke2fs', [...options, image, `${mebibytes}M`]);
    await mounted(image, lay);
    const personality = { ...this.personality, shims };
    const phone = await UserlandPhone.start(at, personality, { ...usual, ...properties }, [
      { name: 'userdata', bytes: readFileSync(image) },
    ]);
    this.open.push(phone);
    this.roots.set(phone, join(at, 'root'));
    // A recovery has an unzip of its own, which neither is.
    const bin = join(at, 'root/system/bin');
    if (personality.tools === 'toybox') {
      copyFileSync('/bin/busybox', join(bin, 'busybox'));
      symlinkSync('busybox', join(bin, 'unzip'));
    }
    this.give(phone, archive);
    const { exitCode, stderr } = phone.shell('mount -t ext4 /dev/block/by-name/userdata /data');
    if (exitCode !== 0 || stderr !== '') throw new Error(`User data cannot be mounted: ${stderr}`);
    return phone;
  }

  /** Has another archive in the place of the one before. */
  give(phone: UserlandPhone, archive: string): void {
    copyFileSync(archive, join(this.roots.get(phone)!, 'apps.zip'));
  }

  /** Installs the archive. @param before a command that changes the script first */
  install(phone: UserlandPhone, before = '') {
    const { stdout, stderr, exitCode } = phone.shell(
      `${unpackScript}; ${before} ${this.shell} /tmp/update-binary 3 1 /apps.zip`,
    );
    const said = stdout
      .toString()
      .split('\n')
      .filter((line) => line !== 'ui_print' && line !== '')
      .map((line) => line.replace(/^ui_print /, ''));
    return { said, stderr, exitCode };
  }

  /**
   * Installs the archive many times, each killed at another of the commands that it runs: about ten, or at all of them where there is
   * time.
   * @param before what is there each time
   * @param after what is told when it was killed, and how it ended
   */
  killEverywhere(
    phone: UserlandPhone,
    before: () => void,
    after: (point: number, exitCode: number) => void,
  ): number {
    const tools = ['mv', 'rm', 'mkdir', 'tar', 'chown', 'chgrp', 'chmod', 'find', 'unzip', 'sort', 'cut'];
    phone.shell('mkdir /tmp/counting');
    for (const tool of tools) {
      const own = phone.shell(`type ${tool} | sed 's/.* //'`).stdout.toString().trim();
      const counting = `#!/system/bin/sh\nread n </tmp/n; n=$((n + 1)); echo $n >/tmp/n; read at </tmp/at\n[ $n = $at ] && { read pid </tmp/pid; kill -9 $pid; exit 1; }\nexec ${own} "$@"\n`;
      phone.shell(`cat > /tmp/counting/${tool}; chmod 755 /tmp/counting/${tool}`, Buffer.from(counting));
    }
    const run = (at: number) => {
      before();
      phone.shell(`echo 0 > /tmp/n && echo ${at} > /tmp/at`);
      return phone.shell(
        `${unpackScript}; PATH=/tmp/counting:$PATH; export PATH; ${this.shell} -c 'echo $$ > /tmp/pid; exec ${this.shell} /tmp/update-binary 3 1 /apps.zip'`,
      ).exitCode;
    };
    if (run(0) !== 0) throw new Error('It does not end when nobody kills it');
    const reached = () => Number(phone.shell('cat /tmp/n').stdout.toString());
    const points = reached();
    for (let at = 1; at <= points; at += isLong ? 1 : points / 10) {
      const point = Math.floor(at);
      const exitCode = run(point);
      if (exitCode === 0 && reached() >= point) throw new Error(`It was not killed at ${point}`);
      after(point, exitCode);
    }
    return points;
  }

  /** What the kernel says of a folder of the phone's user data. */
  dataOf(phone: UserlandPhone, path: string): Map<string, string> {
    const { stdout } = phone.shell(`cd /data/${path} && tar -c . 2>/dev/null`);
    const to = join(this.path, `out-${Math.random()}`);
    mkdirSync(to);
    execFileSync('tar', ['--numeric-owner', '-C', to, '-xpf', '-'], { input: stdout, maxBuffer: 1 << 28 });
    return census(to);
  }
}
