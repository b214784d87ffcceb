import { PayloadPool } from '@keen-larder/core/protocols/adb/payload-pool.ts';
import { setTimeout as pause } from 'node:timers/promises';
import { AdbServerClient } from '@yume-chan/adb';
import { AdbServerNodeTcpConnector } from '@yume-chan/adb-server-node-tcp';
import { orGoneOf, type AdbConnection } from './connect.ts';
import { LinkFailure } from '../../failures.ts';

/** Where the platform's adb server listens by default. */
export const usualServerPort = 5037;

/** A phone as the adb server lists it. */
export interface ServedPhone {
  /** Its serial, or its address when it was connected over TCP. */
  readonly name: string;
  /** `device`, `recovery`, `unauthorized`, `offline`, `no permissions` and others. */
  readonly state: string;
  readonly transportId: bigint;
}

/** Follows the local adb server, which is how phones on USB appear. */
export class AdbServer {
  readonly client: AdbServerClient;

  constructor(readonly port: number) {
    this.client = new AdbServerClient(new AdbServerNodeTcpConnector({ host: '127.0.0.1', port }));
  }

  /**
   * Tells its list again and again; undefined when there is no server. Resolves when aborted. The server
   * does not tell every change by itself: that a phone is waiting to be allowed it says only when asked.
   */
  async follow(
    pollMs: number,
    signal: AbortSignal,
    told: (phones: readonly ServedPhone[] | undefined) => void,
  ): Promise<void> {
    while (!signal.aborted) {
      const phones = await this.list();
      if (signal.aborted) return;
      told(phones);
      await pause(pollMs, undefined, { signal }).catch(() => undefined);
    }
  }

  private async list(): Promise<ServedPhone[] | undefined> {
    try {
      const stream = await this.client.createConnection('host:devices-l');
      try {
        return parseDevices(await stream.readString());
      } finally {
        await stream.dispose();
      }
    } catch {
      return undefined;
    }
  }

  /** A connection to one of its phones. @throws LinkFailure */
  async connect({ name, transportId }: ServedPhone): Promise<AdbConnection> {
    try {
      const adb = await this.client.createAdb({ transportId });
      const gone = adb.disconnected.then(
        () => undefined,
        () => undefined,
      );
      return {
        adb,
        pool: new PayloadPool(),
        gone,
        orGone: orGoneOf(gone),
        close: () => void adb.close().catch(() => undefined),
      };
    } catch (error) {
      throw new LinkFailure(`The adb server does not let ${name} be used: ${(error as Error).message}`);
    }
  }
}

/** Lines of `host:devices-l`: name, state, and fields with colons in them. */
export function parseDevices(text: string): ServedPhone[] {
  return text.split('\n').flatMap((line) => {
    const found = /^(\S+)\s+(.*?)\s*(?:\susb:\S+|\s(?:product|model|device):\S+)*\s*transport_id:(\d+)/.exec(
      line,
    );
    if (!found) return [];
    const [, name, state, transportId] = [...found] as [string, string, string, string];
    return [
      {
        name,
        state: state.replace(/^(no permissions).*/, '$1').split(/\s+usb:/)[0]!,
        transportId: BigInt(transportId),
      },
    ];
  });
}
