import { folderOf, isCompared, stagingFolders, type DataFile } from '@keen-larder/core/apps/copies.ts';
import type { AppFacts, InstalledApp } from '@keen-larder/core/apps/facts.ts';
import type { PackageEntry } from '@keen-larder/core/apps/package-dump.ts';
import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import { readApk, readClasses, readIcon, type Apk } from '@keen-larder/core/formats/apk/apk.ts';
import { parseUserDump } from '@keen-larder/core/phone/users/users.ts';
import { stampOf } from '../../../formats/data-stamp.ts';
import { readEntries, readPackages } from '../../../untrusted/untrusted.ts';
import type { AppAccess } from '../../app-access.ts';
import { batches } from '../batches.ts';
import { fileOn } from '../files/file-source.ts';
import { hardwareKeyUids } from './keystore.ts';
import { commands } from '../commands.ts';
import type { AdbShell } from '../shell.ts';
import { LinkFailure } from '../../../failures.ts';

/** APKs looked into side by side: each is a few round trips. */
const atOnce = 4;
/** Lists of all apps, and of all their files, grow long on phones in use. */
const mostListBytes = 128 << 20;

interface ApkFile {
  readonly path: string;
  readonly bytes: number;
  /** Tells this file from what is there after an update. */
  readonly key: string;
}

/** Apps of a running system through its package manager; what an APK says is read from the APK itself. */
export class AdbApps implements AppAccess {
  /** By file: an APK does not change under its path, size and time. */
  private readonly read = new Map<string, Promise<Apk | undefined>>();

  private last: AppFacts[] | undefined;

  constructor(
    private readonly shell: AdbShell,
    private readonly user: number,
  ) {}

  async recent(): Promise<AppFacts[]> {
    return this.last ?? this.list();
  }

  async entries(signal?: AbortSignal): Promise<PackageEntry[]> {
    const entries = await readEntries(await this.text(commands.allPackages(), signal));
    if (!entries) throw new LinkFailure('Reading the phone’s list of packages does not come to an end.');
    return entries;
  }

  async list(signal?: AbortSignal): Promise<AppFacts[]> {
    const installed = await readPackages(await this.text(commands.allPackages(), signal), this.user);
    if (installed.length === 0) {
      throw new LinkFailure(
        'The phone’s package manager lists no apps. Wait until it has started, then look again.',
      );
    }
    const bases = parseBasePaths(await this.text(commands.packagePaths(this.user), signal));
    const running = runningFor(this.user, await this.text(commands.processes(), signal));
    const pathsOf = new Map(installed.map((app) => [app.package, apkPaths(app, bases.get(app.package))]));
    const files = await this.filesAt([...pathsOf.values()].flat(), signal);
    const data = (await this.isOpen()) ? await this.dataFiles(signal) : undefined;
    const keyUids = this.shell.root ? await hardwareKeyUids(this.shell, this.user) : new Set<number>();
    const apks = new Map<string, Apk | undefined>();
    const waiting = [...installed];
    const work = async () => {
      for (let app = waiting.pop(); app; app = waiting.pop()) {
        signal?.throwIfAborted();
        const base = files.get(pathsOf.get(app.package)![0]!);
        apks.set(app.package, base && (await this.apk(base)));
      }
    };
    await Promise.all(Array.from({ length: atOnce }, work));
    this.last = installed.map((app) => {
      const apk = apks.get(app.package);
      const paths = pathsOf.get(app.package)!;
      return {
        ...app,
        label: apk?.label ?? app.package,
        isRunning: running.has(app.package),
        paths,
        programBytes: paths.reduce((sum, path) => sum + (files.get(path)?.bytes ?? 0), 0),
        ...dataFacts(data && (data.get(app.package) ?? [])),
        hasHardwareKeys: keyUids.has(app.uid),
        abis: apk?.abis ?? [],
        certificates: apk?.signing?.certificates ?? [],
        duties: apk?.duties ?? [],
        hasIcon: apk?.iconPath !== undefined,
      };
    });
    return this.last;
  }

  async icon({ paths }: Pick<AppFacts, 'paths'>): Promise<Uint8Array | undefined> {
    const [base] = paths as [string];
    const file = (await this.filesAt([base])).get(base);
    const apk = file && (await this.apk(file));
    return apk?.iconPath ? readIcon(fileOn(this.shell, file!.path, file!.bytes), apk.iconPath) : undefined;
  }

  async classes({ paths }: Pick<AppFacts, 'paths'>): Promise<string[]> {
    const files = await this.filesAt(paths);
    const names: string[] = [];
    for (const path of paths) {
      const file = files.get(path);
      if (file) names.push(...(await readClasses(fileOn(this.shell, path, file.bytes))));
    }
    return names;
  }

  /** An APK that cannot be read leaves what the package manager says. */
  private apk(file: ApkFile): Promise<Apk | undefined> {
    const known = this.read.get(file.key);
    if (known) return known;
    const reading = readApk(fileOn(this.shell, file.path, file.bytes)).catch((error: unknown) => {
      if (error instanceof FormatError) return undefined;
      this.read.delete(file.key);
      throw error;
    });
    this.read.set(file.key, reading);
    return reading;
  }

  private async filesAt(paths: readonly string[], signal?: AbortSignal): Promise<Map<string, ApkFile>> {
    const found = new Map<string, ApkFile>();
    for (const batch of batches(paths)) {
      const script = commands.dates(batch);
      for (const match of (await this.rootedText(script, signal)).matchAll(/^(\d+) (\d+) (.*)$/gm)) {
        const [key, bytes, , path] = [...match] as [string, string, string, string];
        found.set(path, { path, bytes: Number(bytes), key });
      }
    }
    return found;
  }

  /** Files of all apps' own folders by package, caches left out; undefined without root. */
  private async dataFiles(signal?: AbortSignal): Promise<Map<string, DataFile[]> | undefined> {
    if (!this.shell.root) return undefined;
    const found = new Map<string, DataFile[]>();
    const folders = ['data', 'device-data'] as const;
    const parents = folders.map((kind) => folderOf(kind, '', 'system', this.user).replace(/\/$/, ''));
    const script = commands.datedFiles(parents);
    for (const match of (await this.rootedText(script, signal)).matchAll(/^(\d+) (\d+) (\/.*)$/gm)) {
      const [, bytes, modifiedAt, path] = [...match] as [string, string, string, string];
      const at = parents.findIndex((parent) => path.startsWith(`${parent}/`));
      const [name, ...within] = path.slice((parents[at]?.length ?? 0) + 1).split('/');
      if (at < 0 || !name || within.length === 0) continue;
      const file = {
        path: [folders[at], ...within].join('/'),
        bytes: Number(bytes),
        modifiedAt: Number(modifiedAt),
      };
      const list = found.get(name);
      if (list) list.push(file);
      else found.set(name, [file]);
    }
    return found;
  }

  /** Before a user's screen lock was opened once, names and contents of their files are encrypted. */
  private async isOpen(): Promise<boolean> {
    const users = parseUserDump(await this.text(commands.users()));
    return users.find(({ id }) => id === this.user)?.isOpen ?? false;
  }

  private rootedText(script: string, signal?: AbortSignal): Promise<string> {
    return this.shell.root
      ? this.shell.text(script, { signal, mostBytes: mostListBytes })
      : this.text(script, signal);
  }

  private async text(script: string, signal?: AbortSignal): Promise<string> {
    return (await this.shell.run(script, { signal, mostBytes: mostListBytes })).stdout;
  }
}

/** @param files undefined where they cannot be told */
function dataFacts(
  files: readonly DataFile[] | undefined,
): Pick<AppFacts, 'dataBytes' | 'stamp' | 'isHalfPut'> {
  if (!files) return { dataBytes: undefined, stamp: undefined, isHalfPut: false };
  const compared = files.filter(isCompared);
  return {
    dataBytes: compared.reduce((sum, { bytes }) => sum + bytes, 0),
    stamp: stampOf(files),
    isHalfPut: files.some(({ path }) => path.split('/')[1] === stagingFolders.before),
  };
}

/** Names of a user's processes: those of apps say whose they are (`u10_a61`), others are the owner's. */
function runningFor(user: number, text: string): Set<string> {
  const found = new Set<string>();
  for (const [, of, name] of text.matchAll(/^ *(\S+) +(\S.*?) *$/gm))
    if (Number(/^u(\d+)_/.exec(of!)?.[1] ?? 0) === user) found.add(name!);
  return found;
}

/** `package:/data/app/example.tidebook-1/base.apk=example.tidebook`; the folder's name may have a `=` as well. */
function parseBasePaths(text: string): Map<string, string> {
  return new Map(
    [...text.matchAll(/^package:(.+)=([A-Za-z0-9_.]+)$/gm)].map(([, path, name]) => [name!, path!]),
  );
}

/** Splits stand beside the base under names of their own (AOSP, PackageInstallerSession). */
function apkPaths({ codePath, splits }: InstalledApp, base: string | undefined): string[] {
  const first = base ?? (codePath.endsWith('.apk') ? codePath : `${codePath}/base.apk`);
  const folder = first.slice(0, first.lastIndexOf('/'));
  return [first, ...splits.map((name) => `${folder}/split_${name}.apk`)];
}
