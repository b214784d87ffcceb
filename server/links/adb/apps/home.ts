import { exemptIn, languagesIn, opsIn } from '@keen-larder/core/apps/home/reading.ts';
import { rolesFrom } from '@keen-larder/core/apps/home/home.ts';
import { PhoneRefusal } from '../../../failures.ts';
import type { HomeWork } from '../../app-access.ts';
import { commands } from '../commands.ts';
import type { AdbShell } from '../shell.ts';

/** In one command, so that a slow phone is not silent for long (from memory). */
const namesAtOnce = 40;

/** What ties apps to a phone, by the shells of its services. */
export class AdbHome implements HomeWork {
  constructor(
    private readonly shell: AdbShell,
    private readonly user: number,
  ) {}

  ops(names: readonly string[]): Promise<Map<string, Record<string, string>>> {
    return this.ofEach(names, (some) => commands.appOps(some, this.user), opsIn);
  }

  async setOp(name: string, op: string, mode: string): Promise<void> {
    await this.shell.must(commands.setAppOp(name, op, mode, this.user));
  }

  languages(names: readonly string[]): Promise<Map<string, string>> {
    return this.ofEach(names, (some) => commands.appLanguages(some, this.user), languagesIn);
  }

  /** Asks about some apps at a time: each command over the cable takes its time to start. */
  private async ofEach<T>(
    names: readonly string[],
    script: (names: readonly string[]) => string,
    read: (text: string) => T | undefined,
  ): Promise<Map<string, T>> {
    const found = new Map<string, T>();
    for (let at = 0; at < names.length; at += namesAtOnce) {
      const { stdout } = await this.shell.run(script(names.slice(at, at + namesAtOnce)));
      for (const section of stdout.split(/^package (?=[A-Za-z0-9_.]+$)/m).slice(1)) {
        const end = section.indexOf('\n');
        const value = read(section.slice(end + 1));
        if (value !== undefined) found.set(section.slice(0, end).trim(), value);
      }
    }
    return found;
  }

  async setLanguages(name: string, tags: string): Promise<void> {
    await this.shell.must(commands.setAppLanguages(name, tags, this.user));
  }

  async setting(name: string): Promise<string | undefined> {
    const { stdout, exitCode } = await this.shell.run(commands.secureSetting(name, this.user));
    if (exitCode !== 0) return undefined;
    const value = stdout.trim();
    return value === 'null' ? '' : value;
  }

  async setSetting(name: string, value: string): Promise<void> {
    await this.shell.must(commands.setSecureSetting(name, value, this.user));
  }

  async allowListener(component: string): Promise<void> {
    await this.shell.must(commands.allowListener(component, this.user));
  }

  async disallowListener(component: string): Promise<void> {
    await this.shell.must(commands.disallowListener(component, this.user));
  }

  async exempt(): Promise<ReadonlySet<string> | undefined> {
    const { stdout, exitCode } = await this.shell.run(commands.sparedApps());
    return exitCode === 0 ? exemptIn(stdout) : undefined;
  }

  async setExempt(name: string): Promise<void> {
    await this.shell.must(commands.spareApp(name));
  }

  async giveRole(role: string, name: string, sdk: number | undefined): Promise<void> {
    if (sdk === undefined || sdk >= rolesFrom)
      await this.shell.must(commands.giveRole(role, name, this.user));
    else if (role === 'DIALER' && this.user === 0) await this.shell.must(commands.setDialer(name));
    else if (role === 'SMS') await this.setSetting('sms_default_application', name);
    else throw new PhoneRefusal(`This Android has no command for the role ${role}.`);
  }
}
