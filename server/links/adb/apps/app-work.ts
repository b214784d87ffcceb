import { posix } from 'node:path';
import type { WaitingProgram } from '@keen-larder/core/runsheet/apps/waiting.ts';
import { updateOwnersFrom } from '@keen-larder/core/apps/home/home.ts';
import type { InstalledApp } from '@keen-larder/core/apps/facts.ts';
import { readPackages } from '../../../untrusted/untrusted.ts';
import type { AppWork, InstallHow, InstallPart } from '../../app-access.ts';
import { commands, waitingFolder } from '../commands.ts';
import type { AdbDigests } from '../digests.ts';
import type { AdbShell } from '../shell.ts';
import { PhoneRefusal } from '../../../failures.ts';

/** Installing a large app takes this long on a slow phone (from memory, with a margin). */
const commitMs = 300_000;
/** The screen asks for a minute (AOSP, UserBackupManagerService, TIMEOUT_FULL_CONFIRMATION), and a large app takes its time to be read (from memory). */
const askedMs = 180_000;

/** What is done to apps of a running system, through its package and activity managers (AOSP, PackageManagerShellCommand). */
export class AdbAppWork implements AppWork {
  constructor(
    private readonly shell: AdbShell,
    private readonly computed: AdbDigests,
    private readonly user: number,
  ) {}

  async sdk(): Promise<number | undefined> {
    const told = Number((await this.shell.run(commands.property('ro.build.version.sdk'))).stdout.trim());
    return Number.isInteger(told) && told > 0 ? told : undefined;
  }

  async freeBytes(): Promise<number | undefined> {
    const { stdout } = await this.shell.run(commands.freeSpace());
    const kibibytes = stdout.trim().split('\n').at(-1)?.trim().split(/\s+/)[3];
    return kibibytes && /^\d+$/.test(kibibytes) ? Number(kibibytes) * 1024 : undefined;
  }

  async stop(name: string): Promise<void> {
    await this.shell.must(commands.stopApp(name, this.user));
  }

  async describe(name: string): Promise<InstalledApp | undefined> {
    const text = (await this.shell.run(commands.describePackage(name))).stdout;
    return (await readPackages(text, this.user)).find((app) => app.package === name);
  }

  async *read(path: string, signal?: AbortSignal): AsyncGenerator<Uint8Array> {
    yield* this.shell.stream(commands.content(path), { signal });
  }

  async *backUp(packages: readonly string[], signal?: AbortSignal): AsyncGenerator<Uint8Array> {
    yield* this.shell.stream(commands.backUp(packages), { signal, quiet: { ms: askedMs } });
  }

  takeBackup(backup: AsyncIterable<Uint8Array>, signal?: AbortSignal): Promise<void> {
    return this.shell.feed(commands.takeBackup(), backup, { signal, quiet: { ms: askedMs } });
  }

  digests(paths: readonly string[], bytes: number, signal?: AbortSignal): Promise<Map<string, string>> {
    return this.computed.files('/', paths, bytes, signal);
  }

  async install(parts: readonly InstallPart[], how: InstallHow, signal?: AbortSignal): Promise<void> {
    const total = parts.reduce((sum, { bytes }) => sum + bytes, 0);
    await this.inSession(total, how, signal, async (session) => {
      for (const { name, bytes, content } of parts)
        await this.shell.feed(commands.writeInstall(session, name, bytes), content(), { signal });
    });
  }

  async waiting(): Promise<readonly WaitingProgram[]> {
    const found = new Map<string, { path: string; bytes: number }[]>();
    for (const line of (await this.shell.run(commands.waitingPrograms())).stdout.split('\n')) {
      const [, bytes, name, apk] = /^(\d+) ([A-Za-z0-9_.]+)\/([^/]+\.apk)$/.exec(line) ?? [];
      if (!name) continue;
      const apks = found.get(name) ?? [];
      apks.push({ path: `${waitingFolder}/${name}/${apk}`, bytes: Number(bytes) });
      found.set(name, apks);
    }
    return [...found].map(([name, apks]) => ({ package: name, apks }));
  }

  async installWaiting({ package: name, apks }: WaitingProgram, signal?: AbortSignal): Promise<void> {
    const total = apks.reduce((sum, { bytes }) => sum + bytes, 0);
    await this.inSession(total, {}, signal, async (session) => {
      for (const { path, bytes } of apks)
        await this.shell.must(commands.writeInstallFrom(session, posix.basename(path), bytes, path), {
          signal,
          quiet: { bytes, ms: commitMs },
        });
    });
    const { stdout } = await this.shell.run(commands.waitingGrants(name));
    for (const permission of stdout.split('\n').filter((line) => /^[A-Za-z0-9_.]+$/.test(line)))
      // Some are given with the program, and cannot be granted.
      await this.shell.run(commands.grant(name, permission, this.user));
    await this.shell.must(commands.removeWaiting(name));
  }

  /** Opens a session, has it filled, and ends it, one way or the other. */
  private async inSession(
    total: number,
    how: InstallHow,
    signal: AbortSignal | undefined,
    fill: (session: string) => Promise<void>,
  ): Promise<void> {
    const ownsUpdates = how.ownsUpdates === true && ((await this.sdk()) ?? 0) >= updateOwnersFrom;
    const created = await this.shell.must(commands.beginInstall(total, this.user, { ...how, ownsUpdates }));
    const session = /\[(\d+)\]/.exec(created)?.[1];
    if (!session) throw new PhoneRefusal(`The phone opened no session to install in: ${created.trim()}.`);
    try {
      await fill(session);
      // It checks signatures and translates code before it says anything.
      await this.shell.must(commands.commitInstall(session), {
        signal,
        quiet: { bytes: total, ms: commitMs },
      });
    } catch (error) {
      await this.shell.run(commands.abandonInstall(session)).catch(() => undefined);
      throw error;
    }
  }

  async uninstall(name: string): Promise<void> {
    await this.shell.must(commands.uninstall(name, this.user));
  }

  async uninstallForAll(name: string): Promise<void> {
    await this.shell.must(commands.uninstallForAll(name));
  }

  async bringBack(name: string): Promise<void> {
    await this.shell.must(commands.bringBack(name, this.user));
  }

  async setEnabled(name: string, isEnabled: boolean): Promise<void> {
    await this.shell.must((isEnabled ? commands.enable : commands.disable)(name, this.user));
  }

  async setGranted(name: string, permission: string, isGranted: boolean): Promise<void> {
    await this.shell.must((isGranted ? commands.grant : commands.revoke)(name, permission, this.user));
  }
}
