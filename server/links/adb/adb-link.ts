import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import { Ext4 } from '@keen-larder/core/formats/ext4/index.ts';
import {
  conditionFrom,
  parseGetprop,
  parseProperties,
  type Battery,
  type PhoneFacts,
} from '@keen-larder/core/phone/facts.ts';
import type { PhoneMode } from '@keen-larder/core/phone/modes.ts';
import { LinkFailure, type PhoneLink } from '../phone-link.ts';
import { connectAdb, type AdbConnection } from './connect.ts';
import { parseDumpsysBattery, parseKernelBattery } from './parsing.ts';
import { AdbPartitions } from './partitions.ts';
import { AdbShell } from './shell.ts';

const kernelBattery = '/sys/class/power_supply/battery';
const buildProp = ['/build.prop', '/system/build.prop'];
const suPaths = ['/xbin/su', '/bin/su', '/system/xbin/su', '/system/bin/su'];

/** A phone that answers over adb: its running system or its recovery. */
export class AdbLink implements PhoneLink {
  readonly partitions?: AdbPartitions;
  readonly gone: Promise<void>;

  private constructor(
    private readonly connection: AdbConnection,
    private readonly shell: AdbShell,
    readonly mode: 'system' | 'recovery',
    readonly description: string,
  ) {
    if (shell.root) this.partitions = new AdbPartitions(shell, mode === 'recovery');
    this.gone = connection.gone;
  }

  /** @param address `host:port` of the phone's adb daemon */
  static async open(address: string): Promise<AdbLink> {
    const connection = await connectAdb(address);
    try {
      const shell = new AdbShell(connection);
      await shell.findRoot();
      const mode = String(connection.adb.banner.state) === 'recovery' ? 'recovery' : 'system';
      return new AdbLink(connection, shell, mode, `adb ${address}`);
    } catch (error) {
      connection.close();
      throw error;
    }
  }

  async facts(): Promise<PhoneFacts> {
    const properties = parseGetprop((await this.shell.run('getprop')).stdout);
    const serial = properties['ro.serialno'] ?? properties['ro.boot.serialno'];
    if (!serial) throw new LinkFailure('The phone does not tell its serial number.');
    const battery = await this.battery();
    const installed = this.mode === 'recovery' ? await this.installedSystem() : undefined;
    return {
      serial,
      maker: properties['ro.product.manufacturer'] ?? 'Unknown maker',
      model: properties['ro.product.model'] ?? 'Unknown model',
      mode: this.mode,
      root: this.shell.root,
      abis: (properties['ro.product.cpu.abilist'] ?? '').split(',').filter(Boolean),
      condition:
        this.mode === 'recovery'
          ? conditionFrom({ ...bootState(properties), ...installed?.properties }, installed?.hasSu)
          : conditionFrom(properties, this.shell.root),
      ...(battery && { battery }),
    };
  }

  async ready(): Promise<boolean> {
    if (this.mode === 'recovery') return true;
    return (await this.shell.run('getprop sys.boot_completed')).stdout.trim() === '1';
  }

  async restart(into: PhoneMode): Promise<void> {
    if (into === 'loader') throw new LinkFailure('No command leads into loader mode; hold the keys.');
    const target = into === 'system' ? '' : into;
    const { adb, orGone } = this.connection;
    const socket = await orGone(adb.createSocket(`reboot:${target}`));
    await Promise.race([socket.closed, this.gone]);
  }

  close(): void {
    this.connection.close();
  }

  private async battery(): Promise<Battery | undefined> {
    const told = await this.shell.run('dumpsys battery');
    if (told.exitCode === 0) return parseDumpsysBattery(told.stdout);
    const read = await this.shell.run(
      this.shell.rooted(`cat ${kernelBattery}/capacity ${kernelBattery}/status`),
    );
    return parseKernelBattery(read.stdout);
  }

  /** What is installed, read out of the system partition itself: recovery's own properties do not say. */
  private async installedSystem(): Promise<
    { properties: Record<string, string>; hasSu: boolean } | undefined
  > {
    const system = this.partitions;
    if (!system) return undefined;
    try {
      const size = Number((await this.shell.must('blockdev --getsize64 /dev/block/by-name/system')).trim());
      const fs = await Ext4.open(system.source('system', size));
      for (const path of buildProp) {
        const text = await fs.text(path);
        if (text === undefined) continue;
        const su = await Promise.all(suPaths.map((each) => fs.find(each)));
        return { properties: parseProperties(text), hasSu: su.some((found) => found !== undefined) };
      }
    } catch (error) {
      // A damaged system is what recovery is there for: the condition is then unknown.
      if (!(error instanceof FormatError) && !(error instanceof LinkFailure)) throw error;
    }
    return undefined;
  }
}

/** Properties that the bootloader hands to whatever runs. */
const bootState = (properties: Readonly<Record<string, string>>) =>
  Object.fromEntries(
    Object.entries(properties).filter(([name]) => name.startsWith('ro.boot.') || name === 'ro.crypto.state'),
  );
