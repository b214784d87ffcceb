import { readFile } from 'node:fs/promises';
import { join } from 'node:path';
import { writeDurably } from '../disk/durable.ts';

const shelfFormat = 'keen-larder-shelf';
/** 1 named chunks by BLAKE2b and was never released. */
export const shelfVersion = 2;
/** Of a shelf that is sealed: programs that know nothing of seals leave it alone. */
const sealedVersion = 3;

const pathIn = (folder: string) => join(folder, 'shelf.json');

/** Writes down which shelf it is, and whether it is sealed. */
export async function writeShelfFile(folder: string, id: string, isSealed: boolean): Promise<void> {
  const description = { format: shelfFormat, version: isSealed ? sealedVersion : shelfVersion, id };
  await writeDurably(pathIn(folder), `${JSON.stringify(description, null, 2)}\n`);
}

/**
 * Which shelf lies in a folder; undefined where none does.
 * @throws Error when the folder is of something else, or of a version this program does not read
 */
export async function readShelfId(folder: string): Promise<string | undefined> {
  const path = pathIn(folder);
  const text = await readText(path);
  return text === undefined ? undefined : idOf(path, text);
}

async function readText(path: string): Promise<string | undefined> {
  try {
    return await readFile(path, 'utf8');
  } catch (error) {
    if (['ENOENT', 'ENOTDIR'].includes((error as NodeJS.ErrnoException).code ?? '')) return undefined;
    throw error;
  }
}

/** @throws Error when a folder's description is of something else, or of a version this program does not read */
function idOf(path: string, text: string): string {
  let description: { format?: unknown; version?: unknown; id?: unknown };
  try {
    description = JSON.parse(text) as typeof description;
  } catch {
    throw new Error(`${path} is damaged. Put it back from a copy of the shelf; every shelf has one.`);
  }
  if (description.format !== shelfFormat) {
    throw new Error(`${path} does not describe a shelf. Name another folder.`);
  }
  if (description.version !== shelfVersion && description.version !== sealedVersion) {
    throw new Error(
      `${path} describes a shelf of version ${String(description.version)}; this program reads version ${shelfVersion} and ${sealedVersion}. Open it with the Keen Larder that wrote it, or name another folder.`,
    );
  }
  return String(description.id);
}
