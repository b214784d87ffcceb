/**
 * `npm run bench:payloads`: how fast update payloads are unpacked, digests included, beside the plain commands over the same bytes.
 * Nothing else may run meanwhile.
 */
import { execFileSync, spawnSync } from 'node:child_process';
import { readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { Command } from 'commander';
import { memorySource } from '@keen-larder/core/bytes/source.ts';
import type { PartitionUpdate } from '@keen-larder/core/formats/update-payload/manifest.ts';
import { readPayload } from '@keen-larder/core/formats/update-payload/payload.ts';
import { payloadImage } from '@keen-larder/server/formats/firmware/payload-images.ts';
import { makePayload, type PackedKind } from '../testing/firmware/update-payload.ts';
import { testFolder } from '../testing/folder.ts';

const { mebibytes, turns } = new Command('npm run bench:payloads --')
  .option('--mebibytes <n>', 'size of the partition', '48')
  .option('--turns <n>', 'how often; the best is told', '5')
  .parse()
  .opts<{ mebibytes: string; turns: string }>();

const commands = {
  REPLACE_BZ: 'bzip2',
  REPLACE_XZ: 'xz',
  REPLACE_ZSTD: 'zstd',
} as const satisfies Partial<Record<PackedKind, string>>;

const folder = testFolder();
try {
  const { stdout } = spawnSync('openssl', ['speed', '-seconds', '1', '-bytes', '65536', 'sha256']);
  say([
    'SHA-256 by openssl',
    `${Math.round(Number(/sha256\s+([\d.]+)k/.exec(stdout.toString())?.[1]) / 1000)} MB/s`,
  ]);
  say([
    'packed by',
    'with digests',
    'without',
    'command',
    'with sha256sum',
    'speed with, without',
    'both with',
  ]);
  const image = halfText(Number(mebibytes) << 20);
  for (const [kind, command] of Object.entries(commands)) await measure(image, kind as PackedKind, command);
} finally {
  folder.remove();
}

async function measure(image: Buffer, kind: PackedKind, command: string): Promise<void> {
  const file = memorySource(makePayload({ partitions: { system: image }, packedBy: [kind] }));
  const payload = await readPayload(file);
  const [partition] = payload.manifest.partitions;
  const { operations } = partition!;
  const packed = operations.map(({ dataOffset, dataBytes }) =>
    file.read(payload.dataAt + dataOffset, dataBytes),
  );
  // Streams of these formats may follow one another.
  const path = join(folder.path, command);
  writeFileSync(path, Buffer.concat(await Promise.all(packed)));
  const shell = (line: string) => () => void execFileSync('sh', ['-c', line], { stdio: 'ignore' });
  const here = (one: PartitionUpdate) => async () => {
    let had = 0;
    for await (const part of payloadImage(file, payload, one)) had += part.length;
    if (had !== image.length) throw new Error(`${had} bytes of ${image.length}`);
  };
  const none = new Uint8Array(0);
  const unproved = operations.map((operation) => ({ ...operation, sha256: none }));
  const ways = [
    here(partition!),
    here({ ...partition!, sha256: none, operations: unproved }),
    shell(`${command} -dc < ${path} > /dev/null`),
    shell(`${command} -dc < ${path} | sha256sum`),
  ];
  const best = ways.map(() => Infinity);
  for (let turn = 0; turn < Number(turns); turn++)
    for (const [i, way] of ways.entries()) {
      const begun = performance.now();
      await way();
      best[i] = Math.min(best[i]!, performance.now() - begun);
    }
  const [proved, unpacked, plain, digested] = best as [number, number, number, number];
  const seconds = (ms: number) => `${(ms / 1000).toFixed(2)} s`;
  const speed = (command: number, ms: number) => (command / ms).toFixed(2);
  const beside = `${speed(plain, proved)}, ${speed(plain, unpacked)}`;
  say([command, ...best.map(seconds), beside, speed(digested, proved)]);
}

/** Half of it is text, half of it a program. */
function halfText(bytes: number): Buffer {
  const files = ['typescript/lib', 'element-plus/dist'].flatMap((library) =>
    readdirSync(join(import.meta.dirname, '../node_modules', library), {
      recursive: true,
      withFileTypes: true,
    }).filter((one) => one.isFile()),
  );
  const text = Buffer.concat(files.map((one) => readFileSync(join(one.parentPath, one.name))));
  const program = readFileSync(process.execPath);
  if (Math.min(text.length, program.length) < bytes / 2) throw new Error('There is not so much to pack.');
  return Buffer.concat([text.subarray(0, bytes / 2), program.subarray(0, bytes / 2)]);
}

function say(columns: readonly string[]): void {
  process.stdout.write(`${columns.map((column) => column.padEnd(20)).join('')}\n`);
}
