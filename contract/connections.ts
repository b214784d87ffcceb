import type { ConnectionState } from '@keen-larder/core/phone/connections.ts';

/** A way to a phone: an address that is followed, or a phone that the adb server lists. */
export interface ConnectionView {
  /** `host:port`, with `fastboot:` or `loader:` before it, or the adb server's name for it. */
  readonly address: string;
  /** Who asked for it: given at the start, added here, or the adb server. */
  readonly origin: 'start' | 'added' | 'adb server';
  readonly state: ConnectionState;
  /** Of the phone, once it said so. */
  readonly serial: string | undefined;
}

export interface ConnectionsView {
  readonly adbServer: {
    readonly port: number;
    /** `silent` when it does not answer; `not followed` in tests and the demo, which have no USB. */
    readonly state: 'running' | 'missing' | 'silent' | 'not followed';
  };
  readonly connections: readonly ConnectionView[];
  /** Of this computer's adb key, as phones show it. */
  readonly fingerprint: string;
}
