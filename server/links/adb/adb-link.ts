import { setTimeout as pause } from 'node:timers/promises';
import { conditionFrom, makeFrom, type Battery, type PhoneFacts } from '@keen-larder/core/phone/facts.ts';
import { parseGetprop } from '@keen-larder/core/phone/properties.ts';
import type { Survey } from '@keen-larder/core/phone/survey.ts';
import { parseUserDump } from '@keen-larder/core/phone/users/users.ts';
import type { PhoneMode } from '@keen-larder/core/phone/modes.ts';
import { installedSystem } from '../contents.ts';
import type { UserAccess } from '../app-access.ts';
import type { PhoneLink } from '../phone-link.ts';
import { connectAdb, type AdbConnection, type AdbCredentials } from './connect.ts';
import { parseDumpsysBattery, parseHasImei, parseKernelBattery } from './parsing.ts';
import { AdbFolderExchange } from './files/folder-exchange.ts';
import { AdbAppWork } from './apps/app-work.ts';
import { AdbHome } from './apps/home.ts';
import { AdbApps } from './apps/apps.ts';
import { AdbCable } from './partitions/cable.ts';
import { AdbDigests } from './digests.ts';
import { AdbHanding } from './files/handing.ts';
import { AdbSharedPlacing } from './files/shared-placing.ts';
import { AdbSharedFiles } from './files/shared-files.ts';
import { AdbFiles } from './files/files.ts';
import { AdbPartitions } from './partitions/partitions.ts';
import { commands } from './commands.ts';
import { surveyAdb } from './survey.ts';
import { AdbProviders } from './providers.ts';
import { AdbShell } from './shell.ts';
import { LinkFailure, PhoneRefusal, PhoneSilent } from '../../failures.ts';
import type { SilenceLimit } from '../silence.ts';

/** That a link is gone is noticed within this. */
const noticeMs = 1000;

/** A phone that answers over adb: its running system or its recovery. */
export class AdbLink implements PhoneLink {
  readonly kind = 'adb';
  readonly partitions?: AdbPartitions;
  readonly files?: AdbFiles;
  readonly shared?: AdbSharedFiles;
  readonly providers?: AdbProviders;
  readonly apps?: AdbApps;
  readonly appWork?: AdbAppWork;
  readonly home?: AdbHome;
  readonly users?: UserAccess;
  readonly user: number = 0;
  readonly handing?: AdbHanding;
  readonly sharedPlacing?: AdbSharedPlacing;
  readonly folders?: AdbFolderExchange;
  readonly gone: Promise<void>;
  private readonly digests: AdbDigests;
  /** By their numbers. */
  private readonly others = new Map<number, AdbLink>();

  private constructor(
    private readonly connection: AdbConnection,
    private readonly shell: AdbShell,
    private readonly silence: SilenceLimit,
    readonly mode: 'system' | 'recovery',
    readonly description: string,
  ) {
    this.digests = new AdbDigests(shell);
    const { digests } = this;
    if (shell.root) {
      const partitions = new AdbPartitions(shell, digests, mode === 'recovery', new AdbCable(shell));
      this.partitions = partitions;
      this.files = new AdbFiles(shell, digests, () => partitions.nodeOf('userdata'));
      this.folders = new AdbFolderExchange(shell, this.files);
    }
    if (mode === 'system') {
      if (!shell.root) {
        this.shared = new AdbSharedFiles(shell, digests, '/sdcard');
        this.providers = new AdbProviders(shell);
      }
      Object.assign(this, this.appsOf(0));
      this.users = {
        list: async () => parseUserDump((await shell.run(commands.users())).stdout),
        start: async (user) => void (await shell.must(commands.startUser(user))),
      };
      this.handing = new AdbHanding(shell, digests);
      const plain = shell.withoutRoot();
      this.sharedPlacing = new AdbSharedPlacing(plain, new AdbDigests(plain));
    }
    this.gone = connection.gone;
  }

  asUser(user: number): PhoneLink {
    if (user === this.user) return this;
    const known = this.others.get(user);
    if (known) return known;
    // All else is this link's own.
    const other = Object.assign(Object.create(this) as AdbLink, { user, ...this.appsOf(user) });
    this.others.set(user, other);
    return other;
  }

  private appsOf(user: number): Pick<AdbLink, 'apps' | 'appWork' | 'home'> {
    const { shell, digests, mode } = this;
    if (mode !== 'system') return {};
    return {
      apps: new AdbApps(shell, user),
      appWork: new AdbAppWork(shell, digests, user),
      home: new AdbHome(shell, user),
    };
  }

  /** @param address `host:port` of the phone's adb daemon */
  static async open(address: string, credentials: AdbCredentials, silence: SilenceLimit): Promise<AdbLink> {
    const connection = await connectAdb(address, credentials);
    return AdbLink.over(connection, String(connection.adb.banner.state), `adb ${address}`, silence);
  }

  /** @param state what the phone says it runs: `recovery`, or anything else for its system */
  static async over(
    connection: AdbConnection,
    state: string,
    description: string,
    silence: SilenceLimit,
  ): Promise<AdbLink> {
    try {
      const shell = new AdbShell(connection, silence);
      await shell.findRoot();
      return new AdbLink(
        connection,
        shell,
        silence,
        state === 'recovery' ? 'recovery' : 'system',
        description,
      );
    } catch (error) {
      connection.close();
      throw error;
    }
  }

  async facts(): Promise<PhoneFacts> {
    const properties = parseGetprop((await this.shell.run(commands.properties())).stdout);
    const serial = properties['ro.serialno'] ?? properties['ro.boot.serialno'];
    if (!serial) throw new LinkFailure('The phone does not tell its serial number.');
    const battery = await this.battery();
    const sdk = Number(properties['ro.build.version.sdk']);
    const { partitions } = this;
    const installed =
      this.mode === 'recovery' && partitions
        ? await installedSystem(
            (name) => partitions.maybeSource(name),
            properties['ro.boot.slot_suffix'] ?? '',
          )
        : undefined;
    return {
      serial,
      maker: properties['ro.product.manufacturer'] ?? 'Unknown maker',
      model: properties['ro.product.model'] ?? 'Unknown model',
      ...makeFrom(properties),
      ...(this.mode === 'system' && sdk > 0 && { sdk }),
      mode: this.mode,
      root: this.shell.root,
      abis: (properties['ro.product.cpu.abilist'] ?? '').split(',').filter(Boolean),
      condition:
        this.mode === 'recovery'
          ? conditionFrom({ ...bootState(properties), ...installed?.properties }, installed?.hasSu)
          : { ...conditionFrom(properties, this.shell.root), ...(await this.imei()) },
      ...(partitions && { proof: await partitions.proofWay() }),
      ...(battery && { battery }),
    };
  }

  async ready(): Promise<boolean> {
    if (this.mode === 'recovery') return true;
    return (await this.shell.run(commands.property('sys.boot_completed'))).stdout.trim() === '1';
  }

  survey(signal?: AbortSignal): Promise<Omit<Survey, 'at' | 'build'>> {
    const { shell, digests, mode, partitions, files } = this;
    return surveyAdb({ shell, digests, mode, partitions, files }, signal);
  }

  async restart(into: PhoneMode): Promise<void> {
    if (into === 'loader') throw new PhoneRefusal('No command leads into loader mode; hold the keys.');
    const target = into === 'system' ? '' : into;
    const asked = async () => {
      const socket = await this.connection.adb.createSocket(`reboot:${target}`);
      await socket.closed;
    };
    let isGone = false;
    const gone = this.gone.then(() => void (isGone = true));
    try {
      await Promise.race([this.silence.for(asked()), gone]);
    } catch (error) {
      // A phone that is gone before it has answered did what it was told.
      await Promise.race([gone, pause(noticeMs)]);
      if (isGone) return;
      if (error instanceof PhoneSilent) throw error;
      throw new LinkFailure(`The phone does not restart: ${(error as Error).message}.`);
    }
  }

  close(): void {
    this.connection.close();
  }

  /** Whether the phone knows its IMEI; the number itself is not kept. */
  private async imei(): Promise<{ readonly hasImei?: boolean }> {
    const told = await this.shell.run(this.shell.rooted(commands.imei()));
    const hasImei = told.exitCode === 0 ? parseHasImei(told.stdout) : undefined;
    return hasImei === undefined ? {} : { hasImei };
  }

  private async battery(): Promise<Battery | undefined> {
    const told = await this.shell.run(commands.batteryOfSystem());
    if (told.exitCode === 0) return parseDumpsysBattery(told.stdout);
    const read = await this.shell.run(this.shell.rooted(commands.batteryOfKernel()));
    return parseKernelBattery(read.stdout);
  }
}

/** Properties that the bootloader hands to whatever runs. */
const bootState = (properties: Readonly<Record<string, string>>) =>
  Object.fromEntries(
    Object.entries(properties).filter(([name]) => name.startsWith('ro.boot.') || name === 'ro.crypto.state'),
  );
