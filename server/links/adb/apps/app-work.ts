import type { InstalledApp } from '@keen-larder/core/apps/facts.ts';
import { parsePackageDump } from '@keen-larder/core/apps/package-dump.ts';
import { LinkFailure, type AppWork, type InstallPart } from '../../phone-link.ts';
import { batches } from '../batches.ts';
import { quote, type AdbShell } from '../shell.ts';

/** @throws LinkFailure for what could not be the name of a package or a permission */
function nameOf(name: string): string {
  if (!plainName.test(name)) throw new LinkFailure(`“${name}” is no name of an app or a permission.`);
  return name;
}

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
    await this.must(`am force-stop ${nameOf(name)}`);
  }

  async describe(name: string): Promise<InstalledApp | undefined> {
    const text = (await this.shell.run(`dumpsys package ${nameOf(name)}`)).stdout;
    return parsePackageDump(text).find((app) => app.package === name);
  }

  async *read(path: string, signal?: AbortSignal): AsyncGenerator<Uint8Array> {
    yield* this.shell.stream(`cat ${quote(path)}`, signal);
  }

  async digests(paths: readonly string[], signal?: AbortSignal): Promise<Map<string, string>> {
    const found = new Map<string, string>();
    for (const batch of batches(paths)) {
      const script = `sha256sum ${batch.map(quote).join(' ')} 2>/dev/null; true`;
      let text = '';
      for await (const part of this.shell.stream(script, signal)) text += Buffer.from(part).toString();
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
    const created = await this.must(`pm install-create -r${mayDowngrade ? ' -d' : ''}${by} -S ${total}`);
    const session = /\[(\d+)\]/.exec(created)?.[1];
    if (!session) throw new LinkFailure(`The phone opened no session to install in: ${created.trim()}.`);
    try {
      for (const { name, bytes, content } of parts) {
        const write = `pm install-write -S ${bytes} ${session} ${quote(name)} -`;
        await this.shell.feed(write, content(), signal);
      }
      await this.must(`pm install-commit ${session}`);
    } catch (error) {
      await this.shell.run(`pm install-abandon ${session}`).catch(() => undefined);
      throw error;
    }
  }

  async uninstall(name: string): Promise<void> {
    await this.must(`pm uninstall --user 0 ${nameOf(name)}`);
  }

  async bringBack(name: string): Promise<void> {
    await this.must(`cmd package install-existing --user 0 ${nameOf(name)}`);
  }

  async setEnabled(name: string, isEnabled: boolean): Promise<void> {
    await this.must(`pm ${isEnabled ? 'enable' : 'disable-user'} --user 0 ${nameOf(name)}`);
  }

  async setGranted(name: string, permission: string, isGranted: boolean): Promise<void> {
    await this.must(`pm ${isGranted ? 'grant' : 'revoke'} ${nameOf(name)} ${nameOf(permission)}`);
  }

  private must(script: string): Promise<string> {
    return this.shell.must(script);
  }
}
