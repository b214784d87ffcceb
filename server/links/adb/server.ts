import { PayloadPool } from '@keen-larder/core/protocols/adb/payload-pool.ts';
import { setTimeout as pause } from 'node:timers/promises';
import { AdbServerClient } from '@yume-chan/adb';
import { linesOf } from '@keen-larder/core/bytes/lines.ts';
import { orGoneOf, type AdbConnection } from './connect.ts';
import { ServerConnector } from './server-connector.ts';
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

/** What the adb server has; `missing` when there is none, `silent` when it does not answer. */
export type Served = readonly ServedPhone[] | 'missing' | 'silent';

/** A server that is well answers within milliseconds. */
const answerMs = 5000;

/** Follows the local adb server, which is how phones on USB appear. */
export class AdbServer {
  readonly client: AdbServerClient;

  /** @param limitMs after which a server that has not answered is silent */
  constructor(
    readonly port: number,
    private readonly limitMs = answerMs,
  ) {
    this.client = new AdbServerClient(new ServerConnector({ host: '127.0.0.1', port }));
  }

  /**
   * Tells its list again and again. Resolves when aborted. The server does not tell every change by itself: that a
   * phone is waiting to be allowed it says only when asked.
   */
  async follow(pollMs: number, signal: AbortSignal, told: (served: Served) => void): Promise<void> {
    while (!signal.aborted) {
      const served = await this.list(signal);
      if (signal.aborted) return;
      told(served);
      await pause(pollMs, undefined, { signal }).catch(() => undefined);
    }
  }

  /** What it has now. */
  async list(signal: AbortSignal): Promise<Served> {
    const giveUp = new AbortController();
    const limit = AbortSignal.any([signal, giveUp.signal]);
    const silent = pause(this.limitMs, 'silent' as const, { signal: limit }).catch(() => 'silent' as const);
    try {
      return await Promise.race([this.devices(limit), silent]);
    } catch {
      return 'missing';
    } finally {
      giveUp.abort();
    }
  }

  private async devices(signal: AbortSignal): Promise<ServedPhone[]> {
    const stream = await this.client.createConnection('host:devices-l', { unref: false, signal });
    try {
      return parseDevices(await stream.readString());
    } finally {
      await stream.dispose();
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
  return [...linesOf(text)].flatMap((line) => {
    const [name = '', ...fields] = line.trim().split(/\s+/);
    const transport = fields.find((field) => /^transport_id:\d{1,18}$/.test(field));
    const about = fields.findIndex((field) => /^(?:usb|product|model|device|transport_id):/.test(field));
    const state = fields.slice(0, about).join(' ');
    if (!transport || state === '') return [];
    return [
      {
        name,
        state: state.replace(/^(no permissions).*/, '$1'),
        transportId: BigInt(transport.slice('transport_id:'.length)),
      },
    ];
  });
}
