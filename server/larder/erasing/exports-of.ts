import { createReadStream } from 'node:fs';
import { readdir } from 'node:fs/promises';
import { join } from 'node:path';

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
  return found;
}

async function isNamedWithin(folder: string, serial: string): Promise<boolean> {
  for (const name of await readdir(folder, { recursive: true }))
    if (/\.(?:json|txt|tar)$/.test(name) && (await isNamedIn(join(folder, name), serial))) return true;
  return false;
}

async function isNamedIn(path: string, serial: string): Promise<boolean> {
  let had = Buffer.alloc(0);
  try {
    for await (const part of createReadStream(path, { end: lookedAtBytes - 1 }) as AsyncIterable<Buffer>) {
      const here = Buffer.concat([had, part]);
      if (here.includes(serial)) return true;
      had = here.subarray(-serial.length);
    }
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code !== 'EISDIR') throw error;
  }
  return false;
}
