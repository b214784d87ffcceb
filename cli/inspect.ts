import { open } from 'node:fs/promises';
import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import type { ByteSource } from '@keen-larder/core/bytes/source.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import { inspectImage, type Inspection } from '@keen-larder/core/formats/inspect.ts';
import { complain, say } from './output.ts';

/** Describes an image file. Resolves to 0, to 1 when something is wrong with it, to 2 when there is no file. */
export async function inspectFile(path: string, json: boolean): Promise<number> {
  let file;
  try {
    file = await open(path, 'r');
  } catch (error) {
    complain(`${path} cannot be opened: ${(error as Error).message}`);
    return 2;
  }
  try {
    const { size } = await file.stat();
    const source: ByteSource = {
      bytes: size,
      async read(offset, length) {
        const bytes = new Uint8Array(length);
        const { bytesRead } = await file.read(bytes, 0, length, offset);
        return bytes.subarray(0, bytesRead);
      },
    };
    const found = await inspectImage(source);
    if (json) {
      say(
        JSON.stringify(
          found,
          (_key, value: unknown) => (typeof value === 'bigint' ? value.toString() : value),
          2,
        ),
      );
    } else {
      print(path, found);
    }
    return found.findings.length > 0 ? 1 : 0;
  } catch (error) {
    if (!(error instanceof FormatError)) throw error;
    complain(`${path}: ${error.message}`);
    return 1;
  } finally {
    await file.close();
  }
}

function print(path: string, found: Inspection): void {
  say(`${path}: ${found.format}, ${sizeText(found.bytes)} (${found.bytes} bytes)`);
  for (const [name, value] of Object.entries(found.fields)) say(`  ${name}: ${value}`);
  for (const row of found.rows) say(`  ${row}`);
  for (const finding of found.findings) say(`  finding: ${finding}`);
}
