import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import type { ByteSource } from '@keen-larder/core/bytes/source.ts';
import { readZipDirectory, readZipEntry } from '@keen-larder/core/formats/apk/zip.ts';
import { runScript } from '../shell/language/run.ts';
import type { ShellHost } from '../shell/host.ts';

/** Where recovery shows a package to what it runs (AOSP, bootable/recovery, install/install.cpp and the FUSE provider). */
const packagePath = '/sideload/package.zip';
const binaryName = 'META-INF/com/google/android/update-binary';
const mostBinaryBytes = 64 << 20;
/** The descriptor that it is to tell its progress by. */
const progress = 3;

/** What came of a package, and what recovery's screen showed meanwhile. */
export interface Installed {
  readonly isGood: boolean;
  readonly lines: readonly string[];
}

/**
 * Installs an update package as recovery does: runs its `update-binary` with the version of the interface, a descriptor for its
 * progress, and the package's path. What it writes there as `ui_print TEXT` is shown.
 */
export async function installPackage(host: ShellHost, archive: ByteSource): Promise<Installed> {
  let script: string;
  try {
    const { entries } = await readZipDirectory(archive);
    const binary = entries.find(({ name }) => name === binaryName);
    if (!binary) return { isGood: false, lines: ['This is no update package: it has no update-binary.'] };
    script = Buffer.from(await readZipEntry(archive, binary, mostBinaryBytes)).toString();
  } catch (error) {
    if (!(error instanceof FormatError)) throw error;
    return { isGood: false, lines: [`This is no update package: ${error.message}`] };
  }
  if (!script.startsWith('#!'))
    return {
      isGood: false,
      lines: ['Its update-binary is a program of another kind: this recovery runs scripts.'],
    };
  host.handed.set(packagePath, archive);
  let told = '';
  let complaints = '';
  const code = await runScript(
    script,
    host,
    {
      stdin: (async function* () {})(),
      out: () => Promise.resolve(),
      err: (text) => Promise.resolve(void (complaints += text)),
    },
    0,
    {
      name: '/tmp/update-binary',
      words: ['3', String(progress), packagePath],
      outputs: new Map([
        [progress, (bytes: Uint8Array) => Promise.resolve(void (told += Buffer.from(bytes).toString()))],
      ]),
    },
  ).finally(() => host.handed.delete(packagePath));
  const lines = told.split('\n').flatMap((line) => /^ui_print (.+)$/.exec(line)?.[1] ?? []);
  if (code !== 0 && lines.length === 0) lines.push(complaints.trim() || `It ended with ${code}.`);
  return { isGood: code === 0, lines };
}
