import { createHash } from 'node:crypto';
import { useHashesOf } from '@keen-larder/core/bytes/hashing.ts';
import type { AddressInfo } from 'node:net';
import { controlServer } from './control/server.ts';
import type { Phone } from './phone/phone.ts';
import { setUpPhones, type SetupOptions } from './scenario/phones.ts';

useHashesOf((name) => createHash(name));

export interface PracticeBench {
  readonly phones: readonly Phone[];
  /** Base URL of the controls. */
  readonly controlUrl: string;
  close(): Promise<void>;
}

/** Starts the simulated phones and their controls, all on loopback. */
export async function startPracticeBench(options: SetupOptions): Promise<PracticeBench> {
  const phones = await setUpPhones(options);
  const control = controlServer(phones);
  await new Promise<void>((resolve) => control.listen(0, '127.0.0.1', resolve));
  const { port } = control.address() as AddressInfo;
  return {
    phones,
    controlUrl: `http://127.0.0.1:${port}`,
    async close() {
      control.closeAllConnections();
      await new Promise((resolve) => control.close(resolve));
      for (const phone of phones) await phone.close();
    },
  };
}
