// Every check of putting back, over the interface of the server with simulated phones: made to fire, and kept
// silent; and a stop cannot be got around by starting the run all the same.
import { randomUUID } from 'node:crypto';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { afterAll, beforeAll, expect, it } from 'vitest';
import type { Put, RestoringRequest } from '@keen-larder/contract/requests/restoring.ts';
import { quernProgramHeader } from '@keen-larder/core/boot/boot.ts';
import type { RunSheet } from '@keen-larder/core/runsheet/run-sheets.ts';
import type { Serving } from '../../serve.ts';
import type { PracticeBench } from '@keen-larder/standin/bench.ts';
import { firmwareBuilds } from '@keen-larder/standin/firmware/builds.ts';
import { buildProp } from '@keen-larder/standin/firmware/system-contents.ts';
import { makeVerifiedChain } from '@keen-larder/standin/firmware/verified-chain.ts';
import { overwriteFile } from '@keen-larder/standin/flash/file-writes.ts';
import type { SimulatedMode } from '@keen-larder/standin/phone/phone-state.ts';
import { serial as knot3, serveOn, startKnot3, testFolder, until } from '../../../testing/bench.ts';
import { unpackChunkList } from '../../shelf/manifest.ts';
import { SetWriter } from '../../shelf/set-writer.ts';
import { startImaging } from '../imaging/imaging.ts';

const knot5 = 'TW5K-20316';
const reed2 = 'MR2Q-44107';
const folder = testFolder();
let bench: PracticeBench;
let serving: Serving;

const phoneOf = (serial: string) => bench.phones.find(({ identity }) => identity.serial === serial)!;
const app = () => serving.app;
async function into(serial: string, mode: SimulatedMode): Promise<void> {
  const link = app().bench.linkIn(serial);
  void phoneOf(serial).start(mode);
  await until('the restart', () => app().bench.linkIn(serial) !== link || link === undefined);
  await until(`${serial} in ${mode}`, () => app().bench.linkIn(serial, mode) !== undefined);
}
/** @param usedOnly of these the blocks in use alone: what they hold is enough for a sheet */
async function keep(
  serial: string,
  label: string,
  picked: string[],
  usedOnly: string[] = [],
): Promise<string> {
  const confirmed = ['identity-left-out', 'battery', 'two-ways', 'encrypted-user-data'];
  const run = await app().engine.ended(
    (await startImaging(app(), serial, { picked, label, usedOnly, confirmed })).id,
  );
  expect(['done', 'incomplete'], run.outcome).toContain(run.state);
  return run.setId!;
}

/** What is set up once: sets of three phones, by what they are for. */
const sets: Record<string, string> = {};
const put = (set: string, ...names: string[]): Put[] =>
  names.map((name) => {
    const [partition, onto] = name.split('>') as [string, string?];
    return { setId: sets[set]!, partition, ...(onto && { onto }) };
  });

/** Files images of a set as if they had come as files, of whichever phone somebody says. */
async function fileAs(serial: string, label: string, setId: string, picked: string[]): Promise<string> {
  const { larder } = app();
  const id = randomUUID();
  const { condition, maker, model } = app().bench.facts(serial);
  await larder.add({
    id,
    label,
    note: '',
    phone: { serial, maker, model, nickname: serial },
    condition,
    createdAt: new Date().toISOString(),
    elapsedMs: 1,
    addedBytes: 0,
    origin: 'imported',
    images: picked.map((partition) => {
      const { bytes, chunkBytes, sha256, chunks, kind } = larder.image(setId, partition);
      return {
        partition,
        ...(kind === 'archive' && { kind }),
        // As somebody may have said when it was imported.
        role: 'other',
        bytes,
        chunkBytes,
        sha256: sha256.toString('hex'),
        chunks: unpackChunkList(chunks),
      };
    }),
  });
  return id;
}

/** A set with an identity image that was read from no phone; it is filed under none that is here. */
async function ofUnknownOrigin(): Promise<string> {
  const { larder } = app();
  const id = randomUUID();
  await larder.whileWriting(async () => {
    const writer = new SetWriter(larder.shelf);
    const image = writer.image(4096);
    await image.take(Readable.from([Buffer.alloc(4096, 'whose?')]));
    const { bytes, chunkBytes, sha256, chunks } = await image.finish();
    await writer.seal();
    await larder.add({
      id,
      label: 'nobody knows',
      note: '',
      phone: { serial: 'XX-1', maker: 'Tidewell', model: 'Knot 3', nickname: 'unknown' },
      condition: { kind: 'unknown' },
      createdAt: new Date().toISOString(),
      elapsedMs: 1,
      addedBytes: 0,
      origin: 'imported',
      images: [
        {
          ...{ partition: 'efs', role: 'identity', bytes, chunkBytes },
          sha256: sha256.toString('hex'),
          chunks: unpackChunkList(chunks),
        },
      ],
    });
  });
  return id;
}

async function post(serial: string, path: string, body: object) {
  const answer = await fetch(`${serving.url}/api/phones/${serial}/${path}`, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify(body),
  });
  return { status: answer.status, body: (await answer.json()) as RunSheet & { detail?: string } };
}
const sheetOf = async (serial: string, plan: Partial<RestoringRequest>) => {
  const { status, body } = await post(serial, 'restoring-sheet', { puts: [], restartAfter: true, ...plan });
  expect(status, body.detail).toBe(200);
  return body;
};

beforeAll(async () => {
  bench = await startKnot3(join(folder.path, 'phones'), [knot5, reed2]);
  serving = await serveOn(join(folder.path, 'larder'), bench);
  for (const serial of [knot3, knot5]) await into(serial, 'recovery');
  await into(reed2, 'loader');
  sets['knot3'] = await keep(
    knot3,
    'good',
    ['boot', 'recovery', 'system', 'efs', 'logo', 'aboot', 'cache'],
    [...['system', 'cache']],
  );
  sets['files'] = await keep(knot3, 'files', ['userdata-files']);
  sets['knot5'] = await keep(knot5, 'good', [
    ...['boot_a', 'init_boot_a', 'vendor_boot_a', 'dtbo_a', 'vbmeta_a', 'vbmeta_system_a'],
    ...['userdata', 'metadata', 'sec_efs'],
  ]);
  sets['reed2'] = await keep(reed2, 'good', ['boot', 'logo', 'nvdata']);
  sets['damaged'] = await keep(knot3, 'damaged', ['logo', 'boot']);
  app().larder.recordVerification(sets['damaged'], [{ partition: 'logo', damage: 'does not verify' }]);
  const { startBytes } = phoneOf(knot3)
    .flash.list()
    .find(({ name }) => name === 'logo')!;
  phoneOf(knot3).flash.faults.set('worn', [{ offset: startBytes + 4096, bytes: 4096 }]);
  sets['gaps'] = await keep(knot3, 'gaps', ['logo']);
  phoneOf(knot3).mendAll();
  sets['laundered'] = await fileAs(knot5, 'came as files', sets['knot3'], ['efs']);
  sets['unknown'] = await fileAs(knot3, 'from somewhere', await ofUnknownOrigin(), ['efs']);
  sets['own'] = await fileAs(knot3, 'exported and back', sets['knot3'], ['efs', 'boot']);
  sets['renamed'] = await fileAs(knot3, 'archive by another name', sets['files'], ['userdata-files']);
});
afterAll(async () => {
  await serving.close();
  await bench.close();
  folder.remove();
});

interface Case {
  readonly check: string;
  readonly severity: 'stop' | 'confirm' | 'note' | 'good';
  readonly fires: readonly [serial: string, plan: () => Partial<RestoringRequest>];
  /** A plan on which it is silent or reassures. */
  readonly silent: readonly [serial: string, plan: () => Partial<RestoringRequest>];
}
const boot = (): Partial<RestoringRequest> => ({ puts: put('knot3', 'boot') });

const cases: readonly Case[] = [
  { check: 'nothing-picked', severity: 'stop', fires: [knot3, () => ({})], silent: [knot3, boot] },
  {
    check: 'wrong-model',
    severity: 'stop',
    fires: [knot3, () => ({ puts: put('reed2', 'boot') })],
    silent: [knot3, boot],
  },
  {
    check: 'identity-of-another',
    severity: 'stop',
    fires: [reed2, () => ({ puts: put('knot3', 'efs>nvdata') })],
    silent: [reed2, () => ({ puts: put('reed2', 'nvdata') })],
  },
  {
    check: 'identity-of-another',
    severity: 'stop',
    fires: [knot5, () => ({ puts: put('laundered', 'efs>sec_efs') })],
    silent: [knot3, () => ({ puts: put('own', 'efs') })],
  },
  {
    check: 'identity-unproved',
    severity: 'confirm',
    fires: [knot3, () => ({ puts: put('unknown', 'efs') })],
    silent: [knot3, () => ({ puts: put('own', 'efs') })],
  },
  {
    check: 'wrong-kind',
    severity: 'stop',
    fires: [knot3, () => ({ puts: put('files', 'userdata-files>logo') })],
    silent: [knot3, boot],
  },
  {
    check: 'wrong-kind',
    severity: 'stop',
    fires: [knot3, () => ({ puts: put('knot3', 'boot>userdata-files') })],
    silent: [knot3, boot],
  },
  {
    check: 'will-wipe',
    severity: 'confirm',
    fires: [knot3, () => ({ puts: put('renamed', 'userdata-files') })],
    silent: [knot3, boot],
  },
  {
    check: 'image-too-large',
    severity: 'stop',
    fires: [knot3, () => ({ puts: put('knot3', 'boot>misc') })],
    silent: [knot3, boot],
  },
  {
    check: 'image-damaged',
    severity: 'stop',
    fires: [knot3, () => ({ puts: put('damaged', 'logo') })],
    silent: [knot3, boot],
  },
  {
    check: 'image-not-complete',
    severity: 'confirm',
    fires: [knot3, () => ({ puts: put('gaps', 'logo') })],
    silent: [knot3, () => ({ puts: put('knot3', 'logo') })],
  },
  {
    check: 'missing-partition',
    severity: 'stop',
    fires: [knot3, () => ({ puts: put('knot3', 'boot>vbmeta') })],
    silent: [knot3, boot],
  },
  {
    check: 'two-for-one',
    severity: 'stop',
    fires: [knot3, () => ({ puts: put('knot3', 'boot', 'recovery>boot') })],
    silent: [knot3, () => ({ puts: put('knot3', 'boot', 'recovery') })],
  },
  {
    check: 'files-not-reachable',
    severity: 'stop',
    fires: [reed2, () => ({ puts: put('files', 'userdata-files') })],
    silent: [knot3, () => ({ puts: put('files', 'userdata-files') })],
  },
  {
    check: 'scratch-cleared',
    severity: 'note',
    fires: [knot3, () => ({ puts: put('knot3', 'system') })],
    silent: [knot3, boot],
  },
  {
    check: 'encrypted-user-data',
    severity: 'stop',
    fires: [knot5, () => ({ puts: put('knot5', 'userdata') })],
    silent: [knot5, () => ({ puts: put('knot5', 'boot_a') })],
  },
  {
    check: 'will-wipe',
    severity: 'confirm',
    fires: [knot5, () => ({ puts: put('knot5', 'userdata', 'metadata') })],
    silent: [knot3, boot],
  },
  {
    check: 'boot-forecast',
    severity: 'stop',
    fires: [knot3, () => ({ puts: put('knot3', 'logo>boot') })],
    silent: [knot3, () => ({ puts: put('knot3', 'efs') })],
  },
  {
    check: 'part-of-boot-chain',
    severity: 'confirm',
    // Something that boot of the set does not fit, so that its start is in doubt.
    fires: [knot5, () => ({ puts: put('knot5', 'boot_a', 'boot_a>init_boot_a') })],
    silent: [knot5, () => ({ puts: put('knot5', 'boot_a') })],
  },
  {
    check: 'other-slot',
    severity: 'note',
    fires: [knot5, () => ({ puts: put('knot5', 'boot_a>boot_b') })],
    silent: [knot3, boot],
  },
  {
    // As it left the works, its slots are not on misc yet.
    check: 'other-slot',
    severity: 'stop',
    fires: [knot5, () => ({ puts: put('knot5', 'boot_a>boot_b'), activate: 'b' })],
    silent: [knot3, boot],
  },
  {
    check: 'keep-first',
    severity: 'note',
    fires: [knot3, () => ({ puts: put('knot3', 'logo') })],
    silent: [knot3, () => ({ puts: put('knot3', 'cache') })],
  },
  {
    check: 'first-start',
    severity: 'note',
    fires: [knot3, () => ({ puts: put('knot3', 'system') })],
    silent: [knot3, boot],
  },
  {
    check: 'duration',
    severity: 'note',
    fires: [knot3, boot],
    silent: [knot3, () => ({ puts: [...put('knot3', 'boot'), ...put('damaged', 'boot>recovery')] })],
  },
];

const isQuiet = (severity: string | undefined) =>
  severity === undefined || severity === 'good' || severity === 'note';

it.each(cases)('$check fires as $severity, and is silent', async ({ check, severity, fires, silent }) => {
  const [serial, plan] = fires;
  const found = (await sheetOf(serial, plan())).checks.find(({ id }) => id === check);
  expect(found?.severity, JSON.stringify(found)).toBe(severity);
  const [other, harmless] = silent;
  const quiet = (await sheetOf(other, harmless())).checks.find(({ id }) => id === check);
  expect(severity === 'note' ? quiet === undefined : isQuiet(quiet?.severity), JSON.stringify(quiet)).toBe(
    true,
  );
  if (severity !== 'stop' && severity !== 'confirm') return;
  // Started all the same, with every tick there is for a stop and with none for a confirmation.
  const ticks = severity === 'stop' ? [...new Set(cases.map((each) => each.check)), 'battery'] : ['battery'];
  const start = { puts: [], restartAfter: true, ...plan(), confirmed: ticks, armedWith: serial.slice(-4) };
  const refused = await post(serial, 'restoring', start);
  expect(refused.status).toBe(422);
  expect(refused.body.detail).toContain(found!.title);
  expect(app().engine.runOf(serial)).toBeUndefined();
});

it('mode-cannot-write and battery fire on the phone as it is', async () => {
  const severity = async (id: string, serial = knot3) =>
    (await sheetOf(serial, boot())).checks.find((each) => each.id === id)?.severity;
  expect(await severity('mode-cannot-write')).toBeUndefined();
  expect(await severity('battery')).toBe('good');
  phoneOf(knot3).setBattery(59, false);
  await into(knot3, 'recovery');
  expect(await severity('battery')).toBe('stop');
  phoneOf(knot3).setBattery(59, true);
  await into(knot3, 'recovery');
  expect(await severity('battery')).toBe('confirm');
  phoneOf(knot3).setBattery(90, true);
  await into(knot3, 'system');
  expect(await severity('mode-cannot-write')).toBe('stop');
  await into(knot3, 'bootloader');
  expect(await severity('proved-later')).toBe('note');
  expect(await severity('bootloader-locked')).toBeUndefined();
  await into(knot3, 'recovery');
  expect(await severity('proved-later')).toBeUndefined();
});

it('bootloader-locked stops on a locked phone', async () => {
  await into(reed2, 'bootloader');
  const { checks } = await sheetOf(reed2, { puts: put('reed2', 'logo') });
  expect(checks.find(({ id }) => id === 'bootloader-locked')?.severity).toBe('stop');
  await into(reed2, 'loader');
});

it('already-there knows what was compared', async () => {
  const known = async () =>
    (await sheetOf(knot3, boot())).checks.find(({ id }) => id === 'already-there')?.severity;
  expect(await known()).toBeUndefined();
  const { startComparing } = await import('../imaging/comparing.ts');
  await app().engine.ended((await startComparing(app(), knot3, { picked: ['boot'] })).id);
  expect(await known()).toBe('note');
});

it('version-crossing and older-system-newer-data go by what the systems say of themselves', async () => {
  const phone = phoneOf(knot3);
  const plan = () => ({ puts: put('knot3', 'system', 'boot') });
  const severity = async (id: string) =>
    (await sheetOf(knot3, plan())).checks.find((each) => each.id === id)?.severity;
  const own = firmwareBuilds['system-march'];
  const says = async (over: { release?: string; patch?: string }) => {
    const text = buildProp({ ...own, ...over });
    await overwriteFile(phone.flash.partition('system')!, '/build.prop', 0, Buffer.from(text));
    await into(knot3, 'recovery');
  };
  expect(await severity('version-crossing')).toBeUndefined();
  expect(await severity('older-system-newer-data')).toBeUndefined();
  await says({ release: '8' });
  expect(await severity('version-crossing')).toBe('confirm');
  expect(await severity('older-system-newer-data')).toBeUndefined();
  await says({ patch: '2026-09-05' });
  expect(await severity('version-crossing')).toBeUndefined();
  expect(await severity('older-system-newer-data')).toBe('confirm');
  await says({});
});

it('version-crossing stops what would leave nothing but loader mode, over the interface as well', async () => {
  const { flash } = phoneOf(reed2);
  const lk = flash.partition('lk')!;
  const header = await lk.read(0, 64).then((bytes) => Buffer.from(bytes));
  const own = firmwareBuilds['reed2-system'];
  const says = (release: string) =>
    overwriteFile(flash.partition('system')!, '/build.prop', 0, Buffer.from(buildProp({ ...own, release })));
  await lk.write(0, quernProgramHeader({ androidVersion: 10, build: own.id }));
  await says('10');
  sets['crossing'] = await keep(reed2, 'crossing', ['lk', 'system']);
  await lk.write(0, header);
  await says(own.release);
  await into(reed2, 'loader');
  const plan = { puts: put('crossing', 'lk', 'system'), restartAfter: true };
  const found = (await sheetOf(reed2, plan)).checks.find(({ id }) => id === 'version-crossing');
  expect(found).toMatchObject({ severity: 'stop' });
  const confirmed = (await sheetOf(reed2, plan)).checks.map(({ id }) => id);
  const { status } = await post(reed2, 'restoring', { ...plan, confirmed, armedWith: reed2.slice(-4) });
  expect(status).toBe(422);
  const silent = await sheetOf(reed2, { puts: put('reed2', 'boot') });
  expect(silent.checks.some(({ id }) => id === 'version-crossing')).toBe(false);
});

it('rollback-index goes by the metadata on the phone', async () => {
  const phone = phoneOf(knot5);
  const vbmeta = phone.flash.partition('vbmeta_a')!;
  const plan = () => ({ puts: put('knot5', 'vbmeta_a') });
  const severity = async () =>
    (await sheetOf(knot5, plan())).checks.find(({ id }) => id === 'rollback-index')?.severity;
  expect(await severity()).toBeUndefined();
  const before = Buffer.from(await vbmeta.read(0, vbmeta.bytes));
  const build = firmwareBuilds['knot5-system'];
  await vbmeta.write(0, makeVerifiedChain(build, 1_900_000_000n).vbmeta);
  await into(knot5, 'recovery');
  expect(await severity()).toBe('confirm');
  await phone.flash.changeVault({ locked: true });
  await into(knot5, 'recovery');
  expect(await severity()).toBe('stop');
  await phone.flash.changeVault({ locked: false });
  await vbmeta.write(0, before);
  await into(knot5, 'recovery');
});
