import type { ConnectionState } from '@keen-larder/core/phone/connections.ts';

/** A way to a phone: an address that is followed, or a phone that the adb server lists. */
export interface ConnectionView {
  /** `host:port`, with `fastboot:` or `loader:` before it, or the adb server's name for it. */
  readonly address: string;
  /** Who asked for it: given at the start, added here, the adb server, or this program on USB itself. */
  readonly origin: 'start' | 'added' | 'adb server' | 'usb';
  readonly state: ConnectionState;
  /** Of the phone, once it said so. */
  readonly serial: string | undefined;
}

/** A phone on this network that offers wireless debugging (Android 11 on). */
export interface WirelessPhone {
  readonly name: string;
  /** It shows a code to be paired by, or it is ready for computers that it knows. */
  readonly kind: 'pairing' | 'ready';
  /** `host:port` */
  readonly address: string;
}

/** Whether this computer has udev rules that let phones be used; other systems need none. */
export type UsbRules = 'found' | 'missing' | 'not needed';

export interface ConnectionsView {
  readonly adbServer: {
    readonly port: number;
    /** `silent` when it does not answer; `not followed` in tests and the demo, which have no USB. */
    readonly state: 'running' | 'missing' | 'silent' | 'not followed';
  };
  /** Phones on USB without an adb server, and bootloaders. */
  readonly usb: {
    readonly state: 'followed' | 'unavailable' | 'not followed';
    /** Why it is unavailable, in the system's words. */
    readonly why: string | undefined;
    readonly rules: UsbRules;
    /** The last that came or went. */
    readonly lastSeen: { readonly at: number; readonly what: string } | undefined;
  };
  /** Left out where the adb server does not look for such phones. */
  readonly wireless: readonly WirelessPhone[] | undefined;
  readonly connections: readonly ConnectionView[];
  /** Of this computer's adb key, as phones show it. */
  readonly fingerprint: string;
}
