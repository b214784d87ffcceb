import type { InstalledApp } from '@keen-larder/core/apps/facts.ts';
import { readPackages } from '../../../untrusted/untrusted.ts';
import { type AppWork, type InstallPart } from '../../phone-link.ts';
import { batches } from '../batches.ts';
import { quote, type AdbShell } from '../shell.ts';
import { PhoneRefusal } from '../../../failures.ts';

/** @throws PhoneRefusal for what could not be the name of a package or a permission */
function nameOf(name: string): string {
  if (!plainName.test(name)) throw new PhoneRefusal(`“${name}” is no name of an app or a permission.`);
  return name;
}

/** Installing a large app takes this long on a slow phone (from memory, with a margin). */
const commitMs = 300_000;

/** A package's or permission's name is a word of the shell as it is. */
const plainName = /^[A-Za-z0-9_.]+$/;

/** What is done to apps of a running system, through its package and activity managers (AOSP, PackageManagerShellCommand). */
export class AdbAppWork implements AppWork {
  constructor(private readonly shell: AdbShell) {}

  async sdk(): Promise<number | undefined> {
    const told = Number((await this.shell.run('getprop ro.build.version.sdk')).stdout.trim());
    return Number.isInteger(told) && told > 0 ? told : undefined;
  }

  async freeBytes(): Promise<number | undefined> {
    const { stdout } = await this.shell.run('df -k /data');
    const kibibytes = stdout.trim().split('\n').at(-1)?.trim().split(/\s+/)[3];
    return kibibytes && /^\d+$/.test(kibibytes) ? Number(kibibytes) * 1024 : undefined;
  }

  async stop(name: string): Promise<void> {
    await this.shell.must(`am force-stop ${nameOf(name)}`);
  }

  async describe(name: string): Promise<InstalledApp | undefined> {
    const text = (await this.shell.run(`dumpsys package ${nameOf(name)}`)).stdout;
    return (await readPackages(text)).find((app) => app.package === name);
  }

  async *read(path: string, signal?: AbortSignal): AsyncGenerator<Uint8Array> {
    yield* this.shell.stream(`cat ${quote(path)}`, { signal });
  }

  async digests(paths: readonly string[], bytes: number, signal?: AbortSignal): Promise<Map<string, string>> {
    const found = new Map<string, string>();
    for (const batch of batches(paths)) {
      const script = `sha256sum ${batch.map(quote).join(' ')} 2>/dev/null; true`;
      const text = await this.shell.text(script, { signal, quiet: { bytes } });
      for (const [, digest, path] of text.matchAll(/^([0-9a-f]{64})[ *]{2}(.*)$/gm))
        found.set(path!, digest!);
    }
    return found;
  }

  async install(
    parts: readonly InstallPart[],
    installer: string | undefined,
    mayDowngrade: boolean,
    signal?: AbortSignal,
  ): Promise<void> {
    const total = parts.reduce((sum, { bytes }) => sum + bytes, 0);
    const by = installer ? ` -i ${nameOf(installer)}` : '';
    const created = await this.shell.must(
      `pm install-create -r${mayDowngrade ? ' -d' : ''}${by} -S ${total}`,
    );
    const session = /\[(\d+)\]/.exec(created)?.[1];
    if (!session) throw new PhoneRefusal(`The phone opened no session to install in: ${created.trim()}.`);
    try {
      for (const { name, bytes, content } of parts) {
        const write = `pm install-write -S ${bytes} ${session} ${quote(name)} -`;
        await this.shell.feed(write, content(), { signal });
      }
      // It checks signatures and translates code before it says anything.
      await this.shell.must(`pm install-commit ${session}`, {
        signal,
        quiet: { bytes: total, ms: commitMs },
      });
    } catch (error) {
      await this.shell.run(`pm install-abandon ${session}`).catch(() => undefined);
      throw error;
    }
  }

  async uninstall(name: string): Promise<void> {
    await this.shell.must(`pm uninstall --user 0 ${nameOf(name)}`);
  }

  async bringBack(name: string): Promise<void> {
    await this.shell.must(`cmd package install-existing --user 0 ${nameOf(name)}`);
  }

  async setEnabled(name: string, isEnabled: boolean): Promise<void> {
    await this.shell.must(`pm ${isEnabled ? 'enable' : 'disable-user'} --user 0 ${nameOf(name)}`);
  }

  async setGranted(name: string, permission: string, isGranted: boolean): Promise<void> {
    await this.shell.must(`pm ${isGranted ? 'grant' : 'revoke'} ${nameOf(name)} ${nameOf(permission)}`);
  }
}
