import { EventEmitter } from 'node:events';
import type { ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import type { ByteSource } from '@keen-larder/core/bytes/source.ts';
import { Authorisation } from '../adb/authorisation.ts';
import { AdbConnection } from '../adb/connection.ts';
import { serviceFor } from '../adb/services.ts';
import {
  bootloaderFault,
  isLocked,
  markMounted,
  startRecovery,
  startSystem,
  userDataDevice,
  type FoundMount,
  type StartOutcome,
} from '../boot/start.ts';
import { FastbootConnection } from '../fastboot/connection.ts';
import { resetUserData } from '../flash/compose.ts';
import type { FaultKind } from '../flash/faults.ts';
import type { Device, Flash } from '../flash/flash.ts';
import { noteBuiltIn } from '../packages/manage.ts';
import { LoaderConnection } from '../loader/connection.ts';
import type { Model } from '../models.ts';
import type { Agreement, ShellHost } from '../shell/host.ts';
import { turnsOf } from '../shell/turns.ts';
import { PhoneCable } from './cable.ts';
import { PhoneBattery } from './phone-battery.ts';
import { PhonePorts, type Daemon, type LinkKind } from './phone-ports.ts';
import { installPackage, type Installed } from './recovery-package.ts';
import { bannerOf, modeOfReboot, shellHost } from './shell-host.ts';
import { Screen } from './screen.ts';
import type { ScreenQuestion, PhoneIdentity, PhoneState, PhoneTiming, SimulatedMode } from './phone-state.ts';

const flipEveryBytes = 24 << 20;
/** Its system waits so long for an answer (AOSP, UserBackupManagerService). */
const askedMs = 60_000;
const faultPages = 3;

/** A simulated phone: what it says and does follows from its flash, its power, its cable and its keys. */
export class Phone extends EventEmitter<{ change: [PhoneState] }> {
  private readonly ports: PhonePorts;
  readonly cable: PhoneCable;
  private power = true;
  private phase: PhoneState['phase'] = 'off';
  private mode: SimulatedMode | undefined;
  private reason: string | undefined;
  private started: (StartOutcome & { starts: true }) | undefined;
  private host: ShellHost | undefined;
  /** Of the last package, on recovery's screen. */
  private shown: Installed | undefined;
  private readonly charge: PhoneBattery;
  /** Work at the flash that must end before it may be closed. */
  private atFlash: Promise<unknown> = Promise.resolve();
  private stalls = false;
  private isHeld = false;
  private authorisation: Authorisation;
  private readonly screen = new Screen(() => this.changed());
  /** Somebody stands by and allows every computer that asks. */
  trusting = false;
  /** Grows with every change of power or mode, so that a start under way knows it was overtaken. */
  private turn = 0;

  constructor(
    readonly identity: PhoneIdentity,
    readonly model: Model,
    readonly flash: Flash,
    private readonly timing: PhoneTiming,
    battery: number,
  ) {
    super();
    this.authorisation = this.newAuthorisation();
    this.cable = new PhoneCable(timing.bytesPerSecond, () => {
      this.dropLinks();
      this.changed();
    });
    this.charge = new PhoneBattery(battery, () => ({
      isOn: this.power,
      isOnCable: this.cable.isIn,
      carried: this.cable.carried,
    }));
    this.ports = new PhonePorts((kind) => (this.cable.isIn ? this.daemonOf(kind) : undefined));
  }

  /** Binds to loopback and starts into the system. @param port first of three; 0 for any */
  async listen(port: number): Promise<void> {
    await this.ports.listen(port);
    void this.start('system');
  }

  async close(): Promise<void> {
    this.turn++;
    this.dropLinks();
    await this.ports.close();
    // A start that is under way has been overtaken, and lets go of the flash when it has read what it reads.
    await this.atFlash.catch(() => undefined);
    await this.flash.close();
  }

  state(): PhoneState {
    const { product, hasLoader } = this.model;
    return {
      serial: this.identity.serial,
      maker: product.maker,
      model: product.model,
      adb: this.ports.address('adb'),
      fastboot: this.ports.address('fastboot'),
      loader: hasLoader ? this.ports.address('loader') : undefined,
      power: this.power,
      mode: this.mode,
      modes: ['system', 'recovery', 'bootloader', ...(hasLoader ? (['loader'] as const) : [])],
      phase: this.phase,
      reason: this.reason,
      cable: this.cable.isIn,
      battery: { ...this.battery(), chargesOnCable: this.charge.chargesOnCable },
      hasImei: this.started?.hasImei,
      build: this.started?.properties['ro.build.display.id'],
      faults: [
        ...this.flash.faults.names,
        ...(this.stalls ? ['stall'] : []),
        ...(this.isHeld ? ['held'] : []),
      ],
      partitions: this.flash.list().map(({ name }) => name),
      asking: this.authorisation.asking,
      locked: isLocked(this.flash, this.model),
      question: this.screen.asks,
      installed: this.shown,
    };
  }

  setCable(isIn: boolean): void {
    this.charge.settle();
    this.cable.set(isIn);
    if (!isIn) this.dropLinks();
    this.changed();
  }

  pullCableAfter(bytes: number): void {
    this.cable.pullAfter(bytes);
  }

  stallAfter(bytes: number): void {
    this.stalls = true;
    this.cable.stallAfter(bytes);
    this.changed();
  }

  /** Another program has the phone's link: it takes connections and says nothing. */
  hold(): void {
    this.dropLinks();
    this.isHeld = true;
    this.changed();
  }

  /** The answer to what the screen asks: whether a computer may come in, or its bootloader may lock or unlock. */
  async answerAsking(isAllowed: boolean, password = ''): Promise<void> {
    if (this.screen.asks) this.screen.answer(isAllowed && { password });
    else await this.authorisation.answer(isAllowed);
    this.changed();
  }

  /** Lets a computer in before it asks. @param line its public key */
  async allow(line: string): Promise<void> {
    await this.authorisation.allow(line);
  }

  endStall(): void {
    this.stalls = false;
    this.cable.endStall();
  }

  /** Something breaks; where exactly follows from the seed. @param partition where flash is to be bad */
  breakDown(kind: FaultKind, seed: number, partition?: string): readonly ByteRange[] {
    const { faults } = this.flash;
    let places: readonly ByteRange[] = [];
    if (kind === 'flaky-cable') faults.flip(flipEveryBytes, seed);
    else if (kind === 'full') faults.isFull = true;
    else {
      const found = this.flash.list().find(({ name }) => name === partition);
      const within = found
        ? { offset: found.startBytes, bytes: found.bytes }
        : { offset: 0, bytes: this.flash.bytes };
      places = faults.strike(kind, within, faultPages, seed);
    }
    this.changed();
    return places;
  }

  mendAll(): void {
    this.flash.faults.clear();
    this.endStall();
    this.isHeld = false;
    this.changed();
  }

  setBattery(percent: number, chargesOnCable: boolean): void {
    this.charge.set(percent, chargesOnCable);
    this.changed();
  }

  setPower(on: boolean): void {
    if (on) void this.start('system');
    else {
      this.leave('off');
      this.power = false;
      this.changed();
    }
  }

  /** User data as the running system sees it. */
  userData(): Promise<Device> {
    return userDataDevice(this.flash, this.model);
  }

  /** Has somebody use the phone: user data change while no command reads them. */
  async changeUserData(work: (userData: Device) => Promise<void>): Promise<void> {
    const change = async () => work(await this.userData());
    await (this.host ? turnsOf(this.host).changing(change) : change());
  }

  /** Starts into a mode with the keys held, whatever runs now. */
  async start(mode: SimulatedMode): Promise<void> {
    this.leave('starting');
    this.power = true;
    const turn = this.turn;
    this.changed();
    await this.whileAtFlash(() => this.flash.readTable()).catch(() => undefined);
    if (turn !== this.turn) return;
    let judged: { readonly of: string; readonly outcome: StartOutcome | 'bootloader' } | undefined;
    for (;;) {
      await pause(this.timing.startMs);
      if (turn !== this.turn) return;
      if (mode === 'loader') return this.arrive(mode, undefined);
      // Around and around: what has not changed is not judged again.
      const of = this.stateOfFlash();
      if (judged?.of !== of) judged = { of, outcome: await this.whileAtFlash(() => this.outcomeOf(mode)) };
      const { outcome } = judged;
      if (turn !== this.turn) return;
      if (outcome === 'bootloader') return this.arrive(outcome, undefined);
      if (outcome.starts) {
        if (mode === 'system') await this.whileAtFlash(() => markMounted(this.flash, this.model));
        if (turn !== this.turn) return;
        return this.arrive(mode, outcome);
      }
      this.phase = 'looping';
      this.reason = outcome.reason;
      if (outcome.stage === 'init') this.openHost('system', {}, false, []);
      this.changed();
      await pause(this.timing.loopMs / 3);
      if (turn !== this.turn) return;
      this.dropLinks();
      this.host = undefined;
      await pause(this.timing.loopMs);
      if (turn !== this.turn) return;
    }
  }

  private whileAtFlash<T>(work: () => Promise<T>): Promise<T> {
    const under = Promise.all([work(), this.atFlash.catch(() => undefined)]);
    this.atFlash = under;
    return under.then(([result]) => result);
  }

  private stateOfFlash(): string {
    const { writes, vault, faults } = this.flash;
    return JSON.stringify([writes, vault, faults.names]);
  }

  /** What comes of a start; `bootloader` where that is all it needs. */
  private async outcomeOf(mode: Exclude<SimulatedMode, 'loader'>): Promise<StartOutcome | 'bootloader'> {
    if (mode === 'system') return startSystem(this.flash, this.model);
    if (mode === 'recovery') return startRecovery(this.flash, this.model);
    const reason = await bootloaderFault(this.flash);
    return reason === undefined ? 'bootloader' : { starts: false, stage: 'early-loader', reason };
  }

  /** What "erase all data" in its settings does: user data as new, and a start. */
  async reset(): Promise<void> {
    this.setPower(false);
    await resetUserData(this.flash, this.model);
    this.setPower(true);
  }

  /** What its recovery's menu does with a package. @throws Error where no recovery runs that takes one */
  async installPackage(archive: ByteSource): Promise<void> {
    if (this.mode !== 'recovery') throw new Error('Start it into recovery first.');
    if (!this.host) throw new Error('The maker’s own recovery takes only packages of its maker.');
    this.shown = await installPackage(this.host, archive);
    this.changed();
  }

  /** Locks or unlocks, once somebody has said so on the screen; user data is wiped with it. */
  private async setLocked(locked: boolean): Promise<boolean> {
    if (!(await this.isAgreedTo(locked ? 'lock' : 'unlock'))) return false;
    await resetUserData(this.flash, this.model);
    await this.flash.changeVault({ locked });
    this.changed();
    return true;
  }

  private async isAgreedTo(what: ScreenQuestion, mostMs?: number): Promise<Agreement | false> {
    return this.trusting ? { password: '' } : this.screen.ask(what, mostMs);
  }

  private leave(phase: 'off' | 'starting'): void {
    this.turn++;
    this.screen.answer(false);
    this.phase = phase;
    this.mode = undefined;
    this.reason = undefined;
    this.started = undefined;
    this.host = undefined;
    this.shown = undefined;
    this.dropLinks();
    this.authorisation = this.newAuthorisation();
  }

  private newAuthorisation(): Authorisation {
    return new Authorisation(
      () => this.userData(),
      () => this.trusting,
      () => this.changed(),
    );
  }

  private arrive(mode: SimulatedMode, outcome: (StartOutcome & { starts: true }) | undefined): void {
    this.phase = 'running';
    this.mode = mode;
    this.started = outcome;
    // The maker's own recovery answers no computer.
    const answers = mode === 'system' || (mode === 'recovery' && this.model.recoveryGivesRoot);
    if (outcome && answers) this.openHost(mode, outcome.properties, outcome.hasSu, outcome.mounts);
    const { host } = this;
    if (host && mode === 'system') this.whileAtFlash(() => noteBuiltIn(host)).catch(() => undefined);
    this.changed();
  }

  private openHost(
    mode: 'system' | 'recovery',
    properties: Readonly<Record<string, string>>,
    hasSu: boolean,
    mounts: readonly FoundMount[],
  ): void {
    const { flash, model, started } = this;
    this.host = shellHost({
      flash,
      model,
      serial: this.identity.serial,
      mode,
      isUp: mode === 'system' && this.phase === 'running',
      properties,
      hasSu,
      mounts,
      slot: started?.slot,
      imei: started?.imei,
      battery: () => this.battery(),
      restart: (into) => void this.start(into),
      isAgreedTo: (what) => this.isAgreedTo(what, askedMs),
    });
  }

  private battery() {
    return { percent: this.charge.percent, charging: this.charge.isCharging };
  }

  /** What answers on a link in the present mode, on a socket that it gives back or on another. */
  private daemonOf(kind: LinkKind): Daemon | undefined {
    // What is held is never read.
    if (this.isHeld) return (accepted) => accepted;
    const { host, mode, cable } = this;
    const bare = {
      serial: this.identity.serial,
      model: this.model,
      chip: this.model.chip,
      flash: this.flash,
      battery: () => this.battery(),
      setLocked: (locked: boolean) => this.setLocked(locked),
      reboot: (into: string) => void this.start(modeOfReboot(into)),
    };
    // A system that does not come up, and recovery, let everybody in.
    const asks = host?.mode === 'system' && this.phase === 'running' ? this.authorisation : undefined;
    if (kind === 'adb' && host)
      return (accepted) =>
        new AdbConnection(accepted, bannerOf(host), (name) => serviceFor(name, host), cable, asks).socket;
    if (kind === 'fastboot' && mode === 'bootloader')
      return (accepted) => new FastbootConnection(accepted, bare, cable).socket;
    if (kind === 'loader' && mode === 'loader')
      return (accepted) => new LoaderConnection(accepted, bare, cable).socket;
    return undefined;
  }

  private dropLinks(): void {
    this.endStall();
    this.ports.drop();
  }

  private changed(): void {
    this.emit('change', this.state());
  }
}

const pause = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms));
