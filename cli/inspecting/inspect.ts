import { createReadStream } from 'node:fs';
import { mkdtemp, open, rm, type FileHandle } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import type { ByteSource } from '@keen-larder/core/bytes/source.ts';
import { proveItself } from '@keen-larder/core/formats/inspect/proving.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import {
  allFindings,
  inspection,
  inspectImage,
  type Inspection,
} from '@keen-larder/core/formats/inspect/inspect.ts';
import { fileSource, writeSparsely } from '@keen-larder/server/formats/file-source.ts';
import { unwrap, wrapperOf } from '@keen-larder/server/formats/unpacking/wrappers.ts';
import { archiveHeadBytes, archiveKind, inspectArchive } from './inspect-archive.ts';
import { complain, say } from '../output.ts';

/** Compressed files inside compressed files: beyond this nobody nests them. */
const deepest = 3;

/** Describes an image file. Resolves to 0, to 1 when something is wrong with it, to 2 when there is no file. */
export async function inspectFile(path: string, json: boolean): Promise<number> {
  let file: FileHandle;
  try {
    file = await open(path, 'r');
  } catch (error) {
    complain(`${path} cannot be opened: ${(error as Error).message}`);
    return 2;
  }
  await file.close();
  const scratch = await mkdtemp(join(tmpdir(), 'keen-larder-inspect-'));
  try {
    const found = await inspectPath(path, scratch, 0);
    if (json) say(JSON.stringify(found, null, 2));
    else print(path, found, '');
    return allFindings(found).length > 0 ? 1 : 0;
  } catch (error) {
    if (!(error instanceof FormatError)) throw error;
    complain(`${path}: ${error.message}`);
    return 1;
  } finally {
    await rm(scratch, { recursive: true });
  }
}

async function inspectPath(path: string, scratch: string, depth: number): Promise<Inspection> {
  const file = await open(path, 'r');
  try {
    const { size } = await file.stat();
    const source = fileSource(file, size);
    const head = await source.read(0, Math.min(size, archiveHeadBytes));
    const wrapper = wrapperOf(head);
    const kind = archiveKind(head);
    if (!wrapper && kind) return await inspectArchive(path, kind, size, scratch);
    if (!wrapper || depth >= deepest) return await inspectedAndProved(source);
    // What is compressed can only be read from its start on, and readers look here and there.
    const unpacked = join(scratch, `${depth}`);
    const bytes = await writeSparsely(unpacked, unwrap(wrapper, createReadStream(path)));
    return inspection(wrapper, size, {
      fields: { holds: `${sizeText(bytes)} (${bytes} bytes)` },
      inner: [{ name: 'what it holds', inspection: await inspectPath(unpacked, scratch, depth + 1) }],
    });
  } finally {
    await file.close();
  }
}

/** What it is, and what its own metadata prove of it. */
async function inspectedAndProved(source: ByteSource): Promise<Inspection> {
  const found = await inspectImage(source);
  const { proved, findings } = await proveItself(source);
  return { ...found, rows: [...found.rows, ...proved], findings: [...found.findings, ...findings] };
}

function print(name: string, found: Inspection, indent: string): void {
  say(`${indent}${name}: ${found.format}, ${sizeText(found.bytes)} (${found.bytes} bytes)`);
  for (const [field, value] of Object.entries(found.fields)) say(`${indent}  ${field}: ${value}`);
  for (const row of found.rows) say(`${indent}  ${row}`);
  for (const finding of found.findings) say(`${indent}  finding: ${finding}`);
  for (const inner of found.inner) print(inner.name, inner.inspection, `${indent}  `);
}
