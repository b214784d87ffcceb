import { execFileSync } from 'node:child_process';
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { afterAll, beforeAll, describe, it } from 'vitest';
import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import { memorySource, type ByteSource } from '@keen-larder/core/bytes/source.ts';
import { freshExtents, readTransferList } from '@keen-larder/core/formats/block-update/transfer-list.ts';
import {
  incrementalReason,
  piecesOf,
  readPayload,
} from '@keen-larder/core/formats/update-payload/payload.ts';
import { readDamaged } from '@keen-larder/core/testing/damaging.ts';
import { testFolder } from '../../testing/folder.ts';
import { handmadeBackup } from '../../testing/trees/android-backups.ts';
import { makeBlockUpdate } from '../../testing/firmware/block-update.ts';
import { makePayload } from '../../testing/firmware/update-payload.ts';
import { filler } from '../../standin/firmware/filler.ts';
import { readBackupContent } from './android-backup/backup-content.ts';
import { BackupLocked, backupTar } from './android-backup/backup-stream.ts';
import { payloadImage } from './firmware/payload-images.ts';
import { sourceBytes } from './file-source.ts';
import { entrySource, placedEntries } from './tar-source.ts';
import { sevenZipEntries } from './unpacking/seven-zip.ts';
import { unwrap } from './unpacking/wrappers.ts';
import { zipEntries } from './zip.ts';

const folder = testFolder();
afterAll(folder.remove);
const at = (name: string) => join(folder.path, name);
const content = Buffer.concat([
  filler('records', 1, 40_960),
  Buffer.alloc(20_480),
  filler('program', 2, 20_480),
]);
const mostBytes = 256 << 10;

/** As much of a stream as anybody looks at here. */
async function some(stream: AsyncIterable<Uint8Array>): Promise<void> {
  let had = 0;
  for await (const part of stream) {
    had += part.length;
    if (had > mostBytes) return;
  }
}

beforeAll(() => {
  mkdirSync(at('root/folder'), { recursive: true });
  writeFileSync(at('root/plain'), 'words');
  writeFileSync(at('root/folder/image'), content);
  execFileSync(
    'bash',
    ['-c', 'truncate -s 300000 root/holes; printf end >> root/holes; ln root/plain root/same'],
    {
      cwd: folder.path,
    },
  );
});

const whole = async (source: ByteSource) => source.read(0, source.bytes);

describe('a damaged container is read, or refused with words', () => {
  it.each([
    ['gnu', ['--format=gnu', '--sparse']],
    ['pax', ['--format=posix', '--sparse']],
    ['oldest pax', ['--format=posix', '--sparse', '--sparse-version=0.0']],
    ['v7', ['--format=v7']],
  ])('tar, %s', async (name, options) => {
    execFileSync('tar', ['-cf', at(name), ...options, '-C', at('root'), '.']);
    await readDamaged(memorySource(readFileSync(at(name))), async (source) => {
      let entries = 0;
      for await (const entry of placedEntries(source)) {
        if (++entries > 50) return;
        if (entry.header.type === 'file') await some(sourceBytes(entrySource(source, entry)));
      }
    });
  });

  it('zip', async () => {
    execFileSync('zip', ['-q', '-r', at('zip'), '.'], { cwd: at('root') });
    await readDamaged(memorySource(readFileSync(at('zip.zip'))), async (source) => {
      for await (const { content: bytes, fault } of zipEntries(source, 50))
        if (fault === undefined) await some(bytes());
    });
  });

  it('update payload', async () => {
    const payload = makePayload({
      partitions: { boot: content, dtbo: content.subarray(0, 40_960) },
      packedBy: ['REPLACE', 'REPLACE_BZ', 'REPLACE_ZSTD', 'REPLACE_XZ'],
      operationBytes: 16_384,
    });
    await readDamaged(memorySource(payload), async (source) => {
      const read = await readPayload(source);
      for (const partition of read.manifest.partitions) {
        try {
          if (incrementalReason(partition)) continue;
          piecesOf(partition, read.manifest.blockBytes);
          await some(payloadImage(source, read, partition));
        } catch (error) {
          if (!(error instanceof FormatError)) throw error;
        }
      }
    });
  });

  it('list of an update by blocks', async () => {
    const { list } = makeBlockUpdate(content);
    await readDamaged(memorySource(Buffer.from(list)), async (source) => {
      freshExtents(readTransferList(Buffer.from(await whole(source)).toString('latin1')));
    });
  });

  it.each(['lz4', 'bzip2', 'xz'] as const)('%s', async (tool) => {
    const packed = execFileSync(tool, ['-c'], { input: content });
    await readDamaged(memorySource(packed), (source) => some(unwrap(tool, sourceBytes(source))));
  });

  it('7z', async () => {
    writeFileSync(at('small'), 'a few words '.repeat(400));
    execFileSync('bsdtar', ['--format', '7zip', '-cf', at('small.7z'), '-C', folder.path, 'small']);
    await readDamaged(memorySource(readFileSync(at('small.7z'))), async (source) => {
      for await (const { content: bytes, fault } of sevenZipEntries(source, 50))
        if (fault === undefined) await some(bytes());
    });
  });

  it('a backup of the platform’s own', async () => {
    const names = ['apps/a.b/_manifest', 'apps/a.b/f/image', 'apps/a.b/sp/set.xml'];
    for (const [i, bytes] of ['1\na.b\n7\n30\n\n0\n1\nabcd\n', content, '<map/>'].entries()) {
      mkdirSync(dirname(at(`backup/${names[i]!}`)), { recursive: true });
      writeFileSync(at(`backup/${names[i]!}`), bytes);
    }
    const tar = execFileSync('tar', ['-cf', '-', '-C', at('backup'), ...names]);
    for (const options of [{}, { packed: false }, { passphrase: Buffer.from('p'), rounds: 2 }])
      await readDamaged(memorySource(handmadeBackup(tar, options)), async (source) => {
        const parts: Uint8Array[] = [];
        try {
          for await (const part of backupTar(sourceBytes(source), 'p')) parts.push(Uint8Array.from(part));
        } catch (error) {
          if (error instanceof BackupLocked) return;
          throw error;
        }
        const { apps } = await readBackupContent(memorySource(Buffer.concat(parts)));
        for (const { folders } of apps) for (const folder of folders) await some(folder.read());
      });
  });
});
