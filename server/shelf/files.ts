import { open, rename } from 'node:fs/promises';
import { dirname } from 'node:path';

/** Makes a folder's entries durable: without this a rename may be lost with the power. */
export async function syncFolder(path: string): Promise<void> {
  const folder = await open(path, 'r');
  try {
    await folder.sync();
  } finally {
    await folder.close();
  }
}

/** Writes a file so that it is there whole or not at all. */
export async function writeDurably(path: string, content: string): Promise<void> {
  const partial = `${path}.part`;
  const file = await open(partial, 'w');
  try {
    await file.writeFile(content);
    await file.sync();
  } finally {
    await file.close();
  }
  await rename(partial, path);
  await syncFolder(dirname(path));
}
