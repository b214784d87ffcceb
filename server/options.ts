import type { Logger } from 'pino';
import type { AdbKey } from './links/adb/key.ts';
import type { UsbBus } from './links/usb/usb-bus.ts';
import type { RetryPolicy } from './runs/phone/phone-at-work.ts';
import type { ShelfWorkers } from './shelf/threads/workers.ts';

/** How the application is opened. */
export interface Options {
  /** Folder of the catalogue, the shelf, logs and exports. */
  readonly home: string;
  /** `host:port` of adb daemons to follow. */
  readonly addresses: readonly string[];
  /** Of the local adb server to follow as well; left out for none. */
  readonly adbServerPort?: number;
  /** The USB bus, or why there is none; left out where USB is not looked at. */
  readonly usbBus?: UsbBus | string;
  readonly log: Logger;
  readonly pollMs?: number;
  readonly overdueMs?: number;
  readonly startLimitMs?: number;
  readonly retryPolicy?: Partial<RetryPolicy>;
  /** A file in the watched folder that did not change for so long has been copied entirely. */
  readonly settledMs?: number;
  readonly nicknames?: Readonly<Record<string, string>>;
  /** Phones are surveyed as soon as they are there in a mode and build that is new. */
  readonly surveysNew?: boolean;
  /** What crosses cables may be packed where that is faster, which is found out; left out for yes. */
  readonly packsOnCables?: boolean;
  /** By which phones know this computer; left out for the one in the home folder, which is made where there is none. */
  readonly adbKey?: AdbKey;
  /** Shared with others in this process, who close them; left out for threads of its own. */
  readonly workers?: ShelfWorkers;
  /** Folders that exports may go to, besides the home folder and drives. */
  readonly exportFolders?: readonly string[];
  /** Of a sealed shelf, which is unlocked at once; the passphrase or the recovery key. */
  readonly sealSecret?: string;
  /** What is stored is read again within so many days. */
  readonly scrubDays?: number;
  /** Milliseconds since 1970; the demo sets it back while it makes its history. */
  readonly now?: () => number;
}
