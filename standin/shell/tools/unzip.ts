import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import { memorySource, type ByteSource } from '@keen-larder/core/bytes/source.ts';
import { readZipDirectory, readZipEntry } from '@keen-larder/core/formats/apk/zip.ts';
import { complain, resolvePath, type Command } from '../host.ts';
import { readMounted } from '../files.ts';

const mostBytes = 1 << 30;

/** `unzip -p ARCHIVE MEMBER`: prints a member. */
export const unzip: Command = async (process) => {
  const [option, path = '', name = ''] = process.args;
  if (option !== '-p' || name === '') return complain(process, 'unzip', 'usage: unzip -p ARCHIVE MEMBER');
  const absolute = resolvePath(process.cwd, path);
  let source: ByteSource | undefined = process.host.handed.get(absolute);
  if (!source) {
    const found = await readMounted(process.host, absolute, process.uid);
    if (typeof found === 'string') return complain(process, 'unzip', `can't open ${path}: ${found}`);
    const parts: Uint8Array[] = [];
    for await (const part of found) parts.push(part.slice());
    source = memorySource(Buffer.concat(parts));
  }
  try {
    const { entries } = await readZipDirectory(source);
    const entry = entries.find((each) => each.name === name);
    if (!entry) return await complain(process, 'unzip', `${name} not found in archive`);
    await process.out(await readZipEntry(source, entry, mostBytes));
    return 0;
  } catch (error) {
    if (!(error instanceof FormatError)) throw error;
    return complain(process, 'unzip', error.message);
  }
};
