import { stopwatch } from '../../async/stopwatch.ts';
import { randomUUID } from 'node:crypto';
import { rangesBytes, type ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import { durationText, sizeText } from '@keen-larder/core/bytes/units.ts';
import { planImport, type PlannedImport } from '@keen-larder/core/larder/import-plan.ts';
import { byRole, roleOf } from '@keen-larder/core/phone/roles.ts';
import { importingSheet, listText, type RunSheet } from '@keen-larder/core/runsheet/run-sheets.ts';
import type { Composed } from '@keen-larder/core/formats/logical-partitions/logical-partitions.ts';
import { isSameModel, ownerOfFirmware, type Model } from '@keen-larder/core/larder/firmware.ts';
import type { ImportingRequest, ImportingStart } from '@keen-larder/contract/requests/imports.ts';
import type { RunView } from '@keen-larder/contract/runs.ts';
import type { OpenedFile } from '../../imports/opening/opened-file.ts';
import { imageOf } from '../../imports/opening/opening.ts';
import type { Batch } from '../../imports/batch.ts';
import {
  layOutSuper,
  superBase,
  superImage,
  type SuperBase,
  type SuperPart,
} from '../../imports/super-parts.ts';
import { counted } from '../../async/counted.ts';
import { wholeOf } from '../../shelf/image-writer.ts';
import { unpackChunkList, type ManifestImage } from '../../shelf/manifest.ts';
import { SetWriter } from '../../shelf/set-writer.ts';
import { startRun } from '../engine/start-run.ts';
import type { RunContext } from '../engine/run-context.ts';
import { conditionOfFiles } from './firmware.ts';
import {
  broken,
  differsFromList,
  isVouchedFor,
  phoneOf,
  staysWhereItIs,
  touchedText,
  usualBytesPerSecond,
} from './import-files.ts';
import { RunFailure } from '../../failures.ts';
import type { Run } from '../engine/live-run.ts';

/** Partitions that a phone is known to have, and the logical ones in its `super` as far as that was kept. */
export async function knownParts(context: RunContext, serial: string): Promise<string[]> {
  const base = await superBase(context.larder, serial, slotOf(context, serial));
  return [
    ...knownPartitions(context, serial),
    ...(base?.table.partitions.map(({ name }) => name).filter((name) => name !== 'super') ?? []),
  ];
}

/** Partitions that phones of a model are known to have. */
export function partitionsOfModel(context: RunContext, model: Model): string[] {
  const alike = context.bench.list().filter((phone) => isSameModel(phone, model));
  return [...new Set(alike.flatMap(({ serial }) => knownPartitions(context, serial)))];
}

/** Partitions that a phone is known to have: those read from it, or else those that sets hold. */
export function knownPartitions({ bench, larder }: RunContext, serial: string | undefined): string[] {
  if (!serial) return [];
  const here = bench.knownPartitions(serial).map(({ name }) => name);
  return here.length > 0 ? here : [...larder.kept(serial).keys()];
}

/** The slot that a phone at hand starts from. */
export const slotOf = ({ bench }: RunContext, serial: string | undefined): 'a' | 'b' | undefined =>
  serial && bench.linkIn(serial) ? bench.facts(serial).condition.slot : undefined;

/** An image to be taken in for the partition that was chosen for it. */
type Wanted = Omit<PlannedImport, 'partition'> & { readonly partition: string };

/** A `super` that is put together from logical partitions that came and the others as they were kept. */
interface Assembled {
  readonly parts: readonly Wanted[];
  readonly base: SuperBase;
  readonly layout: Composed;
}

/** Planned images with the partitions that were chosen for them. */
interface Chosen {
  readonly images: readonly Wanted[];
  readonly left: readonly PlannedImport[];
  readonly assembled: Assembled | undefined;
}

async function choose(
  context: RunContext,
  batch: Batch,
  { serial, choices, firmwareOf }: ImportingRequest,
): Promise<Chosen> {
  const slot = slotOf(context, serial);
  const known = firmwareOf
    ? partitionsOfModel(context, firmwareOf)
    : serial
      ? await knownParts(context, serial)
      : [];
  const planned = planImport(batch.files, known, batch.contents, slot);
  const partitionOf = new Map(choices.map(({ path, partition }) => [path, partition]));
  const images = planned.flatMap((each) => {
    const partition = partitionOf.get(each.paths[0]!);
    return partition && !each.fault ? [{ ...each, partition }] : [];
  });
  const base = serial ? await superBase(context.larder, serial, slot) : undefined;
  const isLogical = ({ partition, kind }: Wanted) =>
    kind === 'block' && base?.table.partitions.some(({ name }) => name === partition) === true;
  const parts = images.filter(isLogical);
  const whole = images.filter((each) => !isLogical(each));
  const assembled =
    base && parts.length > 0
      ? {
          parts,
          base,
          layout: layOutSuper(
            base,
            parts.map((each) => partOf(batch, each)),
          ),
        }
      : undefined;
  if (assembled) whole.push(asSuper(assembled));
  const named = ({ partition }: { partition: string }) => ({ name: partition, role: roleOf(partition) });
  whole.sort((a, b) => byRole(named(a), named(b)));
  return { images: whole, left: planned.filter(({ paths }) => !partitionOf.has(paths[0]!)), assembled };
}

const filesOf = (batch: Batch, paths: readonly string[]): OpenedFile[] =>
  paths.map((path) => batch.files.find((file) => file.path === path)!);

const partOf = (batch: Batch, { partition, paths, imageBytes }: Wanted): SuperPart => ({
  name: partition,
  bytes: imageBytes ?? 0,
  image: () => imageOf(filesOf(batch, paths)),
});

/** As one image among the others. */
function asSuper({ parts, base, layout }: Assembled): Wanted {
  const rest = base.table.partitions.map(({ name }) => name);
  const kept = rest.filter((name) => !parts.some(({ partition }) => partition === name));
  const packed = parts.filter(({ imageBytes }) => imageBytes === undefined);
  const fault =
    packed.length > 0
      ? `The size of ${listText(packed.flatMap(({ paths }) => paths))} is known only once it is unpacked. Unpack it, then import what comes out.`
      : 'fault' in layout
        ? layout.fault
        : undefined;
  return {
    partition: 'super',
    paths: parts.flatMap(({ paths }) => paths),
    layers: ['logical partitions'],
    bytes: parts.reduce((sum, { bytes }) => sum + bytes, 0),
    ...('superBytes' in layout && { imageBytes: layout.superBytes }),
    kind: 'block',
    notes: [
      `It is put together: ${listText(parts.map(({ partition }) => partition))} from what came${kept.length > 0 ? `, ${listText(kept)} as kept in “${base.label}”` : ''}.`,
    ],
    ...(fault && { fault }),
  };
}

/** Whose identity files are by their description, where that names another phone. */
function identityOfAnother(
  { contents }: Batch,
  partition: string,
  serial: string,
): { readonly identityOf?: string } {
  const named = contents?.phone.serial;
  const isForeign =
    roleOf(partition) === 'identity' && named !== undefined && serial !== '' && named !== serial;
  return isForeign ? { identityOf: named } : {};
}

export async function importSheet(
  context: RunContext,
  batch: Batch,
  request: ImportingRequest,
  reserved?: symbol,
): Promise<RunSheet> {
  const { larder, bench } = context;
  const { images, left } = await choose(context, batch, request);
  const { serial, firmwareOf } = request;
  const owner = firmwareOf ? ownerOfFirmware(firmwareOf).serial : serial;
  return importingSheet({
    images: images.map((each) => ({
      ...each,
      isListed: isVouchedFor(batch, each),
      ...identityOfAnother(batch, each.partition, serial),
    })),
    left: left.map(({ paths }) => paths[0]!),
    label: request.label,
    serial,
    firmwareOf,
    partitions: serial ? bench.knownPartitions(serial) : [],
    labels: owner ? larder.labels(owner, reserved) : [],
    shelf: await larder.shelf.space(),
    bytesPerSecond: usualBytesPerSecond,
  });
}

/**
 * Keeps files as a set that is marked as imported.
 * @param putAside what becomes of the files afterwards; resolves to words about it
 * @throws Problem 422 with the checks that stand in the way
 */
export async function startImporting(
  context: RunContext,
  batch: Batch,
  start: ImportingStart,
  putAside: () => Promise<string>,
): Promise<RunView> {
  const { larder } = context;
  return startRun(context, {
    sheet: (reserved) => importSheet(context, batch, start, reserved),
    label: () => ({ phone: phoneOf(larder, start), text: start.label.trim() }),
    confirmed: start.confirmed,
    seen: start.seen,
    writesShelf: true,
    async plan() {
      const { images } = await choose(context, batch, start);
      const count = `${images.length} ${images.length === 1 ? 'image' : 'images'}`;
      return { kind: 'importing', title: `Import ${count}: ${start.label.trim()}` };
    },
    async work(run) {
      const { images, assembled } = await choose(context, batch, start);
      const phone = phoneOf(larder, start);
      const release = batch.hold();
      const beganAt = context.now();
      const elapsedMs = stopwatch();
      const set = new SetWriter(larder.shelf);
      const stored: ManifestImage[] = [];
      const compared = new Set<string>();
      try {
        for (const [i, image] of images.entries()) {
          await run.step(i, async (passed, resize) => {
            stored.push(await takeIn({ batch, set, run, assembled, compared }, image, passed, resize));
            return `SHA-256 ${stored.at(-1)!.sha256}`;
          });
        }
        run.signal.throwIfAborted();
        const touched = await batch.touched();
        if (touched.length > 0) throw new RunFailure(touchedText(touched));
        await set.seal();
      } catch (error) {
        await set.discard();
        throw error;
      } finally {
        await release();
      }
      const { contents } = batch;
      const isSame = contents?.phone.serial === phone.serial;
      const id = randomUUID();
      await larder.add({
        id,
        label: start.label.trim(),
        note: contents?.note ?? '',
        phone,
        ...(contents?.mode && { mode: contents.mode }),
        condition: isSame ? contents.condition : await conditionOfFiles(larder.shelf, stored, batch.package),
        createdAt: isSame ? contents.createdAt : new Date(beganAt).toISOString(),
        elapsedMs: elapsedMs(),
        addedBytes: set.addedBytes,
        ...(run.operator !== undefined && { by: run.operator }),
        origin: start.firmwareOf ? 'firmware' : 'imported',
        images: stored,
      });
      run.madeSet(
        id,
        stored.every(({ unsettled }) => !unsettled),
      );
      const bytes = stored.reduce((sum, each) => sum + each.bytes, 0);
      const took = durationText(elapsedMs());
      return `${stored.length} ${stored.length === 1 ? 'image' : 'images'}, ${sizeText(bytes)} in ${took}; ${sizeText(set.addedBytes)} new on the shelf. ${batch.parts.length > 0 ? 'The files stay where they are: there are apps among them.' : await putAside().catch(staysWhereItIs)}`;
    },
  });
}

interface Taking {
  readonly batch: Batch;
  readonly set: SetWriter;
  readonly run: Run;
  readonly assembled: Assembled | undefined;
  /** Files that were held against their checksums already. */
  readonly compared: Set<string>;
}

function assembledImage(batch: Batch, { parts, base, layout }: Assembled): AsyncIterable<Uint8Array> {
  if ('fault' in layout) throw new RunFailure(layout.fault);
  return superImage(
    base,
    parts.map((each) => partOf(batch, each)),
    layout,
  );
}

/** Takes in one image, and holds it against the checksums that came along. */
async function takeIn(
  { batch, set, run, assembled, compared }: Taking,
  { partition, kind, paths, imageBytes, listed }: Wanted,
  passed: (bytes: number) => void,
  resize: (bytes: number) => void,
): Promise<ManifestImage> {
  const files = filesOf(batch, paths);
  for (const file of files.flatMap((each) => (each.outer ? [each.outer, each] : [each]))) {
    if (!compared.has(file.path)) {
      const differs = await differsFromList(batch, file, run);
      if (differs) throw new RunFailure(`${differs} Nothing was kept. Copy it again, or leave it out.`);
    }
    compared.add(file.path);
  }
  const ranges = kind === 'archive' ? undefined : (listed?.ranges ?? sizedRanges(imageBytes));
  const writer = set.image(imageBytes ?? listed?.bytes ?? 0, ranges);
  const image = assembled?.parts.some((each) => each.paths[0] === paths[0])
    ? assembledImage(batch, assembled)
    : await imageOf(files);
  let came = 0;
  const onPart = (bytes: number) => {
    came += bytes;
    passed(bytes);
  };
  await writer.take(broken(counted(onlyRanges(image, listed?.ranges), onPart), run.signal));
  if (writer.missing.length > 0) {
    throw new RunFailure(
      `${paths.join(', ')} ended too early, after ${came} of ${rangesBytes(ranges ?? [])} bytes. Nothing was kept. Copy it again, or leave it out.`,
    );
  }
  const stored = await writer.finish();
  resize(stored.bytes);
  const sha256 = stored.sha256.toString('hex');
  if (listed && listed.sha256 !== sha256) {
    throw new RunFailure(
      `${paths.join(', ')} is not the image of ${listed.partition} that its list tells of: SHA-256 ${sha256} instead of ${listed.sha256}. Nothing was kept. Copy it again, or leave it out.`,
    );
  }
  return {
    partition,
    ...(kind === 'archive' && { kind }),
    role: listed?.role ?? roleOf(partition),
    bytes: stored.bytes,
    chunkBytes: stored.chunkBytes,
    sha256,
    ...(kind === 'archive' && { fileSystem: 'tar' }),
    ...(listed?.ranges && { ranges: listed.ranges }),
    ...(listed?.unsettled && { unsettled: listed.unsettled }),
    ...(listed?.proof && { proof: listed.proof }),
    chunks: unpackChunkList(stored.chunks),
  };
}

const sizedRanges = (bytes: number | undefined) => (bytes === undefined ? undefined : wholeOf(bytes));

/** What of an image lies in ranges; all of it where there are none. */
async function* onlyRanges(
  image: AsyncIterable<Uint8Array>,
  ranges: readonly ByteRange[] | undefined,
): AsyncGenerator<Uint8Array> {
  if (!ranges) {
    yield* image;
    return;
  }
  let at = 0;
  let next = 0;
  for await (const part of image) {
    const end = at + part.length;
    while (next < ranges.length && ranges[next]!.offset < end) {
      const { offset, bytes } = ranges[next]!;
      yield part.subarray(Math.max(0, offset - at), Math.min(part.length, offset + bytes - at));
      if (offset + bytes > end) break;
      next++;
    }
    at = end;
  }
}
