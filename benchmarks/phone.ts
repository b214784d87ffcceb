/**
 * A simulated phone for measuring, in a process of its own: mixed bytes, half of them in system and half in
 * userdata, or userdata alone of an image. `FLASH MEBIBYTES CHANGED-SHARE [IMAGE or thin]`. What has changed has
 * changed in userdata, as on a phone in use.
 */
import { existsSync } from 'node:fs';
import { open } from 'node:fs/promises';
import { filler } from '@keen-larder/standin/firmware/filler.ts';
import { Flash } from '@keen-larder/standin/flash/flash.ts';
import { models } from '@keen-larder/standin/models.ts';
import { Phone } from '@keen-larder/standin/phone/phone.ts';
import { fastTiming } from '@keen-larder/standin/phone/phone-state.ts';
import { makeFlash } from './flash.ts';

const MiB = 1 << 20;
/** What is alike lies together, as in partitions that are in use. */
const runMebibytes = 16;
const [path, megabytes, changedShare] = [
  process.argv[2]!,
  Number(process.argv[3]),
  Number(process.argv[4] ?? 0),
];
const image = process.argv[5];

if (!existsSync(path)) {
  await makeFlash(path, [
    ...(image ? [] : [['system', megabytes / 2] as const]),
    ['userdata', image ? megabytes : megabytes / 2],
    // As many as a phone of today has, for planning.
    ...(image ? [] : Array.from({ length: 60 }, (_, i) => [`part${i}`, 1] as const)),
  ]);
  const flash = await Flash.open(path);
  const places = (image ? ['userdata'] : ['system', 'userdata']).map((name) => flash.partition(name)!);
  const source = image && image !== 'thin' ? await open(image, 'r') : undefined;
  const piece = Buffer.alloc(MiB);
  for (let i = 0; i < megabytes; i++) {
    if (source) {
      await source.read(piece, 0, MiB, i * MiB);
      if (piece.some((byte) => byte !== 0)) await places[0]!.write(i * MiB, piece);
      continue;
    }
    // Of every four runs two do not compress, one is text, one is empty; of a thin one, all but one.
    const kind = Math.floor(i / runMebibytes) % 4;
    if (kind === 3 || (image && kind > 0)) continue;
    const each = megabytes / places.length;
    const place = places[Math.floor(i / each)]!;
    await place.write((i % each) * MiB, filler(kind === 2 ? 'records' : 'program', i + 1, MiB));
  }
  await source?.close();
  await flash.close();
}

const flash = await Flash.open(path);
if (changedShare > 0) {
  const userData = flash.partition('userdata')!;
  const pieceBytes = 64 * 1024;
  const pieces = Math.round((megabytes * MiB * changedShare) / pieceBytes);
  for (let i = 0; i < pieces; i++) {
    const at = Math.floor((i / pieces) * (userData.bytes / pieceBytes)) * pieceBytes;
    await userData.write(at, filler('program', 900_000 + i, pieceBytes));
  }
}
const phone = new Phone({ serial: 'BENCH-0001' }, models.knot3, flash, fastTiming, 90);
await phone.listen(0);
await phone.start('recovery');
process.stdout.write(`${JSON.stringify({ adb: phone.state().adb })}\n`);
