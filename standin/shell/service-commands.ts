import Database from 'better-sqlite3';
import { readMounted } from './files.ts';
import { dumpUsers } from '../packages/users.ts';
import { dumpPackages } from '../packages/commands.ts';
import { complain, print, type Command } from './host.ts';

/** `dumpsys battery`, `dumpsys package` and `dumpsys user` of a running system. */
export const dumpsys: Command = async (process) => {
  if (process.host.mode !== 'system') {
    await process.err('/sbin/sh: dumpsys: not found\n');
    return 127;
  }
  if (process.args[0] === 'user') return dumpUsers(process);
  if (process.args[0] === 'package') return dumpPackages(process, process.args.slice(1));
  if (process.args[0] !== 'battery') return complain(process, "Can't find service", process.args[0] ?? '');
  const { percent, charging } = process.host.battery();
  await print(
    process,
    [
      'Current Battery Service state:',
      '  AC powered: false',
      `  USB powered: ${charging}`,
      '  Wireless powered: false',
      `  status: ${charging ? 2 : 3}`,
      '  health: 2',
      '  present: true',
      `  level: ${percent}`,
      '  scale: 100',
      '  voltage: 4021',
      '  temperature: 247',
      '  technology: Li-ion',
      '',
    ].join('\n'),
  );
  return 0;
};

/** Tables of the providers that everybody's shell may ask, by their addresses. */
const providers: Readonly<Record<string, { readonly file: string; readonly from: string }>> = {
  'content://com.android.contacts/data': {
    file: 'contacts/databases/contacts2.db',
    from: `(SELECT data.*, mimetypes.mimetype, raw_contacts.display_name FROM data
      JOIN mimetypes ON mimetypes._id = data.mimetype_id
      JOIN raw_contacts ON raw_contacts._id = data.raw_contact_id WHERE deleted = 0)`,
  },
  'content://sms': { file: 'telephony/databases/mmssms.db', from: 'sms' },
  'content://call_log/calls': { file: 'contacts/databases/calllog.db', from: 'calls' },
  'content://com.android.calendar/events': { file: 'calendar/databases/calendar.db', from: 'Events' },
};

/** `content query --uri URI --projection A:B`, as Android's own prints it (AOSP, cmds/content). */
export const content: Command = async (process) => {
  const { host, args } = process;
  if (host.mode !== 'system') {
    await process.err('/sbin/sh: content: not found\n');
    return 127;
  }
  const [verb, , uri = '', , projection = ''] = args;
  const provider = providers[uri];
  if (verb !== 'query' || !provider) return complain(process, 'Error while accessing provider', uri);
  const columns = projection.split(':');
  for (const folder of ['/data/data', '/data/user_de/0']) {
    const path = `${folder}/com.android.providers.${provider.file}`;
    const found = await readMounted(host, path, 0);
    if (typeof found === 'string') continue;
    const parts: Uint8Array[] = [];
    for await (const part of found) parts.push(part.slice());
    const db = new Database(Buffer.concat(parts));
    try {
      const rows = db
        .prepare<[], Record<string, unknown>>(
          `SELECT ${columns.join(', ')} FROM ${provider.from} ORDER BY _id`,
        )
        .all();
      const value = (each: unknown) => (each === null ? 'NULL' : `${each as string | number}`);
      const lines = rows.map(
        (row, i) => `Row: ${i} ${columns.map((name) => `${name}=${value(row[name])}`).join(', ')}\n`,
      );
      await print(process, lines.length > 0 ? lines.join('') : 'No result found.\n');
    } finally {
      db.close();
    }
    return 0;
  }
  return complain(process, 'Error while accessing provider', uri);
};

/** `service call iphonesubinfo 1`: a parcel in the words that Android's own `service` prints. */
export const service: Command = async (process) => {
  const { host, args } = process;
  if (host.mode !== 'system') {
    await process.err('/sbin/sh: service: not found\n');
    return 127;
  }
  if (args[0] !== 'call') return complain(process, 'service', 'usage: service call SERVICE CODE');
  if (args[1] !== 'iphonesubinfo' || host.imei === undefined) {
    await print(process, `service: Service ${args[1]} does not exist\n`);
    return 0;
  }
  await print(process, parcelText(host.imei));
  return 0;
};

function parcelText(text: string | null): string {
  const words = [0, text === null ? 0xffffffff : text.length];
  const units = [...`${text ?? ''}\0\0`].map((char) => char.charCodeAt(0));
  if (text !== null) for (let i = 0; i <= text.length; i += 2) words.push(units[i]! | (units[i + 1]! << 16));
  const hexadecimal = (value: number) => (value >>> 0).toString(16).padStart(8, '0');
  const shown = (some: readonly number[]) =>
    some
      .flatMap((word) => [0, 8, 16, 24].map((shift) => (word >>> shift) & 0xff))
      .map((byte) => (byte >= 0x20 && byte < 0x7f ? String.fromCharCode(byte) : '.'))
      .join('');
  if (words.length <= 4) return `Result: Parcel(${words.map(hexadecimal).join(' ')}   '${shown(words)}')\n`;
  const lines: string[] = [];
  for (let i = 0; i < words.length; i += 4) {
    const some = words.slice(i, i + 4);
    lines.push(`  0x${hexadecimal(i * 4)}: ${some.map(hexadecimal).join(' ')} '${shown(some)}'`);
  }
  return `Result: Parcel(\n${lines.join('\n')})\n`;
}
