import { setTimeout as pause } from 'node:timers/promises';
import type { ConnectionsView } from '@keen-larder/contract/connections.ts';
import type { ConnectionState } from '@keen-larder/core/phone/connections.ts';
import { AdbLink } from '../links/adb/adb-link.ts';
import type { AdbKey } from '../links/adb/key.ts';
import { FastbootLink } from '../links/fastboot/fastboot-link.ts';
import type { PhoneLink } from '../links/phone-link.ts';
import type { SilenceLimit } from '../links/silence.ts';
import { udevRules } from '../links/usb/udev.ts';
import { connectUsbAdb } from '../links/usb/usb-adb.ts';
import { portOf, usbName, type UsbBus, type UsbDevice, type UsbPort } from '../links/usb/usb-bus.ts';
import { UsbHindered } from '../links/usb/usb-pipe.ts';
import { PhoneFailure } from '../failures.ts';

/** What following phones on USB needs of the bench. */
export interface UsbWaysOptions {
  /** The bus; why there is none; or undefined where USB is not looked at. */
  readonly bus: UsbBus | string | undefined;
  readonly adbKey: AdbKey;
  readonly pollMs: number;
  readonly silence: SilenceLimit;
  readonly now: () => number;
  readonly unforeseen: (error: unknown) => void;
  /** An adb server runs: it has the phones that speak adb. */
  hasAdbServer(): boolean;
  follow(link: PhoneLink, known: (serial: string) => void): Promise<boolean>;
  /** @param state undefined when the device is gone */
  tell(name: string, state: ConnectionState | undefined, serial?: string): void;
  changed(): void;
}

/** Between two tries to use a device that something hinders. */
const hinderedMs = 3000;

/** Follows phones on USB: fastboot always, adb where no adb server has them. */
export class UsbWays {
  private readonly present = new Map<UsbDevice, AbortController>();
  private lastSeen: ConnectionsView['usb']['lastSeen'];
  private failure: string | undefined;

  constructor(private readonly options: UsbWaysOptions) {}

  view(): ConnectionsView['usb'] {
    const { bus } = this.options;
    const why = typeof bus === 'string' ? bus : this.failure;
    return {
      state: bus === undefined ? 'not followed' : why === undefined ? 'followed' : 'unavailable',
      why,
      rules: udevRules(),
      lastSeen: this.lastSeen,
    };
  }

  /** Resolves when aborted. */
  async follow(signal: AbortSignal): Promise<void> {
    const { bus, pollMs } = this.options;
    if (bus === undefined || typeof bus === 'string') return;
    const watched = new Set<Promise<void>>();
    while (!signal.aborted) {
      const devices = await this.look(bus);
      for (const [device, controller] of this.present) if (!devices.includes(device)) controller.abort();
      for (const device of devices) {
        const port = portOf(device);
        if (!port || this.present.has(device)) continue;
        const controller = new AbortController();
        this.present.set(device, controller);
        this.saw(`${usbName(device)} was plugged in: it speaks ${port.kind}.`);
        const watching = this.watch(device, port, AbortSignal.any([signal, controller.signal])).finally(
          () => {
            this.present.delete(device);
            this.options.tell(usbName(device), undefined);
            if (!signal.aborted) this.saw(`${usbName(device)} was unplugged, or started something else.`);
            watched.delete(watching);
          },
        );
        watched.add(watching);
      }
      await pause(pollMs, undefined, { signal }).catch(() => undefined);
    }
    await Promise.allSettled(watched);
  }

  private async look(bus: UsbBus): Promise<readonly UsbDevice[]> {
    try {
      const devices = await bus.getDevices();
      this.failure = undefined;
      return devices;
    } catch (error) {
      if (this.failure === undefined) this.options.changed();
      this.failure = (error as Error).message;
      return [];
    }
  }

  private saw(what: string): void {
    this.lastSeen = { at: this.options.now(), what };
    this.options.changed();
  }

  private async watch(device: UsbDevice, port: UsbPort, signal: AbortSignal): Promise<void> {
    const { options } = this;
    const name = usbName(device);
    const tell = (state: ConnectionState, serial?: string) => options.tell(name, state, serial);
    while (!signal.aborted) {
      let wait = options.pollMs;
      if (port.kind === 'adb' && options.hasAdbServer()) options.tell(name, undefined);
      else {
        try {
          const link = await this.open(device, port, signal, tell);
          const close = () => link.close();
          signal.addEventListener('abort', close, { once: true });
          const isSecond = await options
            .follow(link, (serial) => tell('connected', serial))
            .finally(() => signal.removeEventListener('abort', close));
          if (isSecond) wait = Math.max(wait, hinderedMs);
          tell(isSecond ? 'second' : 'offline');
        } catch (error) {
          if (error instanceof UsbHindered) {
            wait = Math.max(wait, hinderedMs);
            tell(error.hindrance === 'gone' ? 'offline' : error.hindrance);
          } else if (error instanceof PhoneFailure) tell('offline');
          else if (!signal.aborted) {
            options.unforeseen(error);
            tell('unreadable');
          }
        }
      }
      await pause(wait, undefined, { signal }).catch(() => undefined);
    }
  }

  private async open(
    device: UsbDevice,
    { kind }: UsbPort,
    signal: AbortSignal,
    tell: (state: ConnectionState) => void,
  ): Promise<PhoneLink> {
    const { silence, adbKey } = this.options;
    if (kind === 'fastboot') return FastbootLink.overUsb(device, silence);
    const connection = await connectUsbAdb(device, { key: adbKey, signal, asked: () => tell('asks') });
    const state = String(connection.adb.banner.state);
    return AdbLink.over(connection, state, `adb usb ${usbName(device)}`, silence);
  }
}
