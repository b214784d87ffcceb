import { readKeyUids } from '../../../untrusted/untrusted.ts';
import { commands } from '../commands.ts';
import type { AdbShell } from '../shell.ts';

/** Up to Android 11 a file for each key, named by the uid (AOSP system/security, keystore). */
const keyFolder = (user: number) => `/data/misc/keystore/user_${user}`;
/** From Android 12 on a database (AOSP system/security, keystore2, database.rs). */
const keyDatabase = '/data/misc/keystore/persistent.sqlite';
const mostDatabaseBytes = 64 << 20;

/** Uids of apps that keep keys in the phone's hardware; needs root. */
export async function hardwareKeyUids(shell: AdbShell, user: number): Promise<Set<number>> {
  const found = new Set<number>();
  const list = await shell.run(shell.rooted(commands.keysOfHardware(keyFolder(user))));
  for (const [, uid] of list.stdout.matchAll(/^(\d+)_USRPKEY_/gm)) found.add(Number(uid));
  const bytes = await shell.bytes(commands.contentIfThere(keyDatabase), {
    mostBytes: mostDatabaseBytes,
  });
  if (bytes.length > 0) for (const uid of await readKeyUids(bytes)) found.add(uid);
  return found;
}
