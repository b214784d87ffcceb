import type { AdbServerClient } from '@yume-chan/adb';
import type { WirelessPhone } from '@keen-larder/contract/connections.ts';
import { linesOf, plainText } from '@keen-larder/core/bytes/lines.ts';
import { PhoneRefusal } from '../../failures.ts';

/** Services by which phones announce themselves (AOSP, packages/modules/adb: adb_mdns.h). */
const services = { '_adb-tls-pairing': 'pairing', '_adb-tls-connect': 'ready' } as const;
const longest = 200;

/** What an adb server that does not know a service says (AOSP, adb.cpp). */
const unknownService = /unknown host service/;

async function ask(client: AdbServerClient, service: string): Promise<string> {
  const connection = await client.createConnection(service, { unref: false });
  try {
    return await connection.readString();
  } finally {
    await connection.dispose();
  }
}

/**
 * Phones on this network that offer wireless debugging, as the adb server found them.
 * @returns undefined when this adb server does not look for them
 */
export async function announcedPhones(client: AdbServerClient): Promise<WirelessPhone[] | undefined> {
  try {
    return parseAnnounced(await ask(client, 'host:mdns:services'));
  } catch (error) {
    if (unknownService.test((error as Error).message)) return undefined;
    throw error;
  }
}

/** Lines of name, service and address, with tabs between. */
export function parseAnnounced(text: string): WirelessPhone[] {
  return [...linesOf(text)].flatMap((line) => {
    const [name = '', service = '', address = ''] = line.split('\t').map((part) => part.trim());
    const kind = Object.entries(services).find(([each]) =>
      service.replace(/\.?_tcp\.?$/, '').startsWith(each),
    )?.[1];
    return kind && /^[\w.:[\]-]+:\d+$/.test(address)
      ? [{ name: plainText(name).slice(0, longest), kind, address }]
      : [];
  });
}

/** Pairs with a phone that shows a code. @throws PhoneRefusal with the adb server's own words */
export async function pair(client: AdbServerClient, address: string, code: string): Promise<void> {
  const answer = await orRefusal(() => ask(client, `host:pair:${code}:${address}`));
  // It answers in words whatever comes of it.
  if (!/^success/i.test(answer))
    throw new PhoneRefusal(`The phone was not paired: “${answer.trim()}”.`, answer);
}

/** Has the adb server connect to a phone. @throws PhoneRefusal with its own words */
export async function connectThrough(client: AdbServerClient, address: string): Promise<void> {
  const answer = await orRefusal(() => ask(client, `host:connect:${address}`));
  if (!/^(?:already )?connected/i.test(answer))
    throw new PhoneRefusal(`The adb server does not reach it: “${answer.trim()}”.`, answer);
}

async function orRefusal(work: () => Promise<string>): Promise<string> {
  try {
    return await work();
  } catch (error) {
    const { message } = error as Error;
    throw new PhoneRefusal(
      unknownService.test(message)
        ? 'The adb server of this computer is too old to pair: version 30 of the platform tools is the first that can. Pair on the phone by USB instead, or install a newer adb.'
        : `The adb server did not do it: ${message}.`,
      message,
    );
  }
}
