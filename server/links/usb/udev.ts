import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { UsbRules } from '@keen-larder/contract/connections.ts';

const folders = ['/etc/udev/rules.d', '/run/udev/rules.d', '/usr/lib/udev/rules.d', '/lib/udev/rules.d'];
/** By the interface, as this program's own rule has it, or by the word that other rule files have in them. */
const opensPhones = /:ff420[13]|\badb\b|android/i;

/** Whether this computer has udev rules for phones. @param where folders of rules */
export function udevRules(where: readonly string[] = folders, platform = process.platform): UsbRules {
  if (platform !== 'linux') return 'not needed';
  return where.some((folder) => rulesIn(folder).some((path) => opensPhones.test(textOf(path))))
    ? 'found'
    : 'missing';
}

function rulesIn(folder: string): string[] {
  try {
    return readdirSync(folder)
      .filter((name) => name.endsWith('.rules'))
      .map((name) => join(folder, name));
  } catch {
    return [];
  }
}

function textOf(path: string): string {
  try {
    return readFileSync(path, 'utf8')
      .split('\n')
      .filter((line) => !line.startsWith('#'))
      .join('\n');
  } catch {
    return '';
  }
}
