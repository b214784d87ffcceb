import type { InstalledApp } from '@keen-larder/core/apps/facts.ts';
import { readPackages } from '../../../untrusted/untrusted.ts';
import { type AppWork, type InstallPart } from '../../phone-link.ts';
import { commands } from '../commands.ts';
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
    await this.shell.must(commands.stopApp(name));
  }

  async describe(name: string): Promise<InstalledApp | undefined> {
    const text = (await this.shell.run(commands.describePackage(name))).stdout;
    return (await readPackages(text)).find((app) => app.package === name);
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

  async install(
    parts: readonly InstallPart[],
    installer: string | undefined,
    mayDowngrade: boolean,
    signal?: AbortSignal,
  ): Promise<void> {
    const total = parts.reduce((sum, { bytes }) => sum + bytes, 0);
    const created = await this.shell.must(commands.beginInstall(total, installer, mayDowngrade));
    const session = /\[(\d+)\]/.exec(created)?.[1];
    if (!session) throw new PhoneRefusal(`The phone opened no session to install in: ${created.trim()}.`);
    try {
      for (const { name, bytes, content } of parts) {
        await this.shell.feed(commands.writeInstall(session, name, bytes), content(), { signal });
      }
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
    await this.shell.must(commands.uninstall(name));
  }

  async bringBack(name: string): Promise<void> {
    await this.shell.must(commands.bringBack(name));
  }

  async setEnabled(name: string, isEnabled: boolean): Promise<void> {
    await this.shell.must(isEnabled ? commands.enable(name) : commands.disable(name));
  }

  async setGranted(name: string, permission: string, isGranted: boolean): Promise<void> {
    await this.shell.must(isGranted ? commands.grant(name, permission) : commands.revoke(name, permission));
  }
}
