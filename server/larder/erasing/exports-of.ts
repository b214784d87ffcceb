import { readdir, stat } from 'node:fs/promises';
import { join } from 'node:path';
import { withFile } from '../../disk/durable.ts';

/** What tells of an export stands at its beginning or at its end. */
const lookedAtBytes = 1 << 20;

/** Exported folders and files that name a phone, by their names in the folder of exports. */
export async function exportsOf(folder: string, serial: string): Promise<string[]> {
  const entries = await readdir(folder, { withFileTypes: true }).catch((error: NodeJS.ErrnoException) => {
    if (error.code === 'ENOENT') return [];
    throw error;
  });
  const found: string[] = [];
  for (const entry of entries) {
    const path = join(folder, entry.name);
    if (entry.isDirectory() ? await isNamedWithin(path, serial) : await isNamedIn(path, serial))
      found.push(entry.name);
  }
  return found.sort();
}

async function isNamedWithin(folder: string, serial: string): Promise<boolean> {
  for (const name of await readdir(folder, { recursive: true }))
    if (/\.(?:json|txt|tar)$/.test(name) && (await isNamedIn(join(folder, name), serial))) return true;
  return false;
}

async function isNamedIn(path: string, serial: string): Promise<boolean> {
  const { size } = await stat(path);
  const stretches = [
    [0, Math.min(size, lookedAtBytes)],
    [Math.max(0, size - lookedAtBytes), size],
  ] as const;
  return withFile(path, 'r', async (file) => {
    for (const [from, to] of stretches) {
      const bytes = Buffer.alloc(to - from);
      await file.read(bytes, 0, bytes.length, from);
      if (bytes.includes(serial)) return true;
    }
    return false;
  });
}
