import { EventEmitter } from 'node:events';
import { createServer, type Server, type Socket } from 'node:net';
import { parseSuperblock, superblockOffset, withMount } from '@keen-larder/core/formats/ext4/index.ts';
import { AdbConnection } from '../adb/connection.ts';
import { startRecovery, startSystem, type StartOutcome } from '../boot/start.ts';
import type { Flash } from '../flash/flash.ts';
import type { Mount, ShellHost } from '../shell/host.ts';
import { Throttle } from './throttle.ts';

export type SimulatedMode = 'system' | 'recovery' | 'bootloader';

export interface PhoneTiming {
  /** From power to a link, when all is well. */
  readonly startMs: number;
  /** One round of a boot loop. */
  readonly loopMs: number;
  readonly bytesPerSecond: number;
}

/** A phone on a USB 2 cable, and one without waits for tests. */
export const cableTiming: PhoneTiming = { startMs: 5000, loopMs: 6000, bytesPerSecond: 37 * 1024 * 1024 };
export const fastTiming: PhoneTiming = { startMs: 300, loopMs: 900, bytesPerSecond: Infinity };

export interface PhoneState {
  readonly serial: string;
  readonly maker: string;
  readonly model: string;
  readonly adb: string;
  readonly power: boolean;
  /** What runs; undefined while off, starting or looping. */
  readonly mode: SimulatedMode | undefined;
  readonly phase: 'off' | 'starting' | 'running' | 'looping';
  /** Why it loops. */
  readonly reason: string | undefined;
  readonly cable: boolean;
  readonly battery: {
    readonly percent: number;
    readonly charging: boolean;
    readonly chargesOnCable: boolean;
  };
  readonly hasImei: boolean | undefined;
  readonly build: string | undefined;
}

/** A simulated phone: what it says and does follows from its flash, its power, its cable and its keys. */
export class Phone extends EventEmitter<{ change: [PhoneState] }> {
  private readonly sockets = new Set<Socket>();
  private readonly server: Server;
  private readonly throttle: Throttle;
  private port = 0;
  private power = true;
  private phase: PhoneState['phase'] = 'off';
  private mode: SimulatedMode | undefined;
  private reason: string | undefined;
  private started: (StartOutcome & { starts: true }) | undefined;
  private host: ShellHost | undefined;
  private cable = true;
  private percent: number;
  private chargesOnCable = true;
  private pullAfterBytes = Infinity;
  private stallAfterBytes = Infinity;
  private stalled: { readonly over: Promise<void>; readonly end: () => void } | undefined;
  /** Grows with every change of power or mode, so that a start under way knows it was overtaken. */
  private turn = 0;

  constructor(
    readonly identity: { readonly serial: string; readonly maker: string; readonly model: string },
    readonly flash: Flash,
    private readonly timing: PhoneTiming,
    battery: number,
  ) {
    super();
    this.percent = battery;
    this.throttle = new Throttle(timing.bytesPerSecond);
    this.server = createServer((socket) => this.accept(socket));
  }

  /** Binds to loopback and starts into the system. @param port 0 for any */
  async listen(port: number): Promise<void> {
    await new Promise<void>((resolve, reject) => {
      this.server.once('error', reject);
      this.server.listen(port, '127.0.0.1', resolve);
    });
    const address = this.server.address();
    this.port = typeof address === 'object' && address ? address.port : port;
    void this.start('system');
  }

  async close(): Promise<void> {
    this.turn++;
    this.dropLinks();
    await new Promise((resolve) => this.server.close(resolve));
    await this.flash.close();
  }

  state(): PhoneState {
    return {
      ...this.identity,
      adb: `127.0.0.1:${this.port}`,
      power: this.power,
      mode: this.mode,
      phase: this.phase,
      reason: this.reason,
      cable: this.cable,
      battery: { ...this.battery(), chargesOnCable: this.chargesOnCable },
      hasImei: this.started?.hasImei,
      build: this.started?.properties['ro.build.display.id'],
    };
  }

  setCable(isIn: boolean): void {
    this.cable = isIn;
    this.pullAfterBytes = Infinity;
    if (!isIn) this.dropLinks();
    this.changed();
  }

  /** Pulls the cable once so many more bytes have gone over it. */
  pullCableAfter(bytes: number): void {
    this.pullAfterBytes = bytes;
  }

  /** Lets nothing more over the cable once so many more bytes have gone, until it is told to go on. */
  stallAfter(bytes: number): void {
    this.stallAfterBytes = bytes;
  }

  endStall(): void {
    this.stallAfterBytes = Infinity;
    this.stalled?.end();
    this.stalled = undefined;
  }

  setBattery(percent: number, chargesOnCable: boolean): void {
    this.percent = Math.min(100, Math.max(1, percent));
    this.chargesOnCable = chargesOnCable;
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

  /** Starts into a mode with the keys held, whatever runs now. */
  async start(mode: SimulatedMode): Promise<void> {
    this.leave('starting');
    this.power = true;
    const turn = this.turn;
    this.changed();
    await this.flash.readTable().catch(() => undefined);
    for (;;) {
      await pause(this.timing.startMs);
      if (turn !== this.turn) return;
      if (mode === 'bootloader') return this.arrive('bootloader', undefined);
      const outcome = await (mode === 'system' ? startSystem(this.flash) : startRecovery(this.flash));
      if (turn !== this.turn) return;
      if (outcome.starts) {
        if (mode === 'system') await this.mountUserData();
        return this.arrive(mode, outcome);
      }
      this.phase = 'looping';
      this.reason = outcome.reason;
      if (outcome.stage === 'init') this.openHost('system', {}, false);
      this.changed();
      await pause(this.timing.loopMs / 3);
      if (turn !== this.turn) return;
      this.dropLinks();
      this.host = undefined;
      await pause(this.timing.loopMs);
      if (turn !== this.turn) return;
    }
  }

  private leave(phase: 'off' | 'starting'): void {
    this.turn++;
    this.phase = phase;
    this.mode = undefined;
    this.reason = undefined;
    this.started = undefined;
    this.host = undefined;
    this.dropLinks();
  }

  private arrive(mode: SimulatedMode, outcome: (StartOutcome & { starts: true }) | undefined): void {
    this.phase = 'running';
    this.mode = mode;
    this.started = outcome;
    if (outcome && mode !== 'bootloader') this.openHost(mode, outcome.properties, outcome.hasSu);
    this.changed();
  }

  private openHost(
    mode: 'system' | 'recovery',
    properties: Readonly<Record<string, string>>,
    hasSu: boolean,
  ): void {
    const mounts: Mount[] =
      mode === 'recovery'
        ? [{ partition: 'cache', at: '/cache', writable: true }]
        : [
            { partition: 'system', at: '/system', writable: false },
            { partition: 'userdata', at: '/data', writable: true },
            { partition: 'cache', at: '/cache', writable: true },
            { partition: 'efs', at: '/efs', writable: true },
            { partition: 'persist', at: '/persist', writable: true },
          ];
    this.host = {
      mode,
      properties: {
        ...properties,
        'ro.serialno': this.identity.serial,
        'ro.bootmode': mode === 'recovery' ? 'recovery' : 'unknown',
        'ro.boot.flash.locked': '0',
        'ro.boot.verifiedbootstate': 'orange',
        'ro.crypto.state': 'unencrypted',
        ...(mode === 'system' && this.phase === 'running' && { 'sys.boot_completed': '1' }),
      },
      rootDaemon: mode === 'recovery',
      hasSu,
      flash: this.flash,
      mounts,
      startedAt: Date.now(),
      battery: () => this.battery(),
      reboot: (into) => void this.start(into === 'recovery' || into === 'bootloader' ? into : 'system'),
    };
  }

  /** A mount leaves its time and count in the superblock, as the kernel does. */
  private async mountUserData(): Promise<void> {
    const userData = this.flash.partition('userdata')!;
    const superblock = await userData.read(superblockOffset, 1024);
    parseSuperblock(superblock, userData.bytes);
    await userData.write(superblockOffset, withMount(superblock, Math.floor(Date.now() / 1000)));
  }

  private battery() {
    return { percent: Math.round(this.percent), charging: this.cable && this.chargesOnCable };
  }

  private accept(socket: Socket): void {
    if (!this.cable || !this.host) {
      socket.destroy();
      return;
    }
    this.sockets.add(socket);
    socket.on('close', () => this.sockets.delete(socket));
    const { properties, mode } = this.host;
    const banner = [
      `${mode === 'recovery' ? 'recovery' : 'device'}::ro.product.name=${properties['ro.product.name'] ?? ''}`,
      `ro.product.model=${properties['ro.product.model'] ?? ''}`,
      `ro.product.device=${properties['ro.product.device'] ?? ''}`,
      'features=shell_v2,cmd',
    ].join(';');
    new AdbConnection(socket, banner, this.host, { carry: (bytes) => this.carry(bytes) });
  }

  private async carry(bytes: number): Promise<void> {
    if (!this.cable) throw new Error('the cable is out');
    this.pullAfterBytes -= bytes;
    if (this.pullAfterBytes <= 0) {
      this.setCable(false);
      throw new Error('the cable is out');
    }
    this.stallAfterBytes -= bytes;
    if (this.stallAfterBytes <= 0) this.stalled ??= openGate();
    await this.stalled?.over;
    await this.throttle.pass(bytes);
  }

  private dropLinks(): void {
    this.endStall();
    for (const socket of this.sockets) socket.destroy();
    this.sockets.clear();
  }

  private changed(): void {
    this.emit('change', this.state());
  }
}

function openGate() {
  let end = () => {};
  const over = new Promise<void>((resolve) => (end = resolve));
  return { over, end };
}

const pause = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms));
