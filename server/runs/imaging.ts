import { randomUUID } from 'node:crypto';
import type { ImagingStart } from '@keen-larder/contract/requests.ts';
import type { RunView } from '@keen-larder/contract/runs.ts';
import { durationText, sizeText } from '@keen-larder/core/bytes/units.ts';
import type { PartitionFacts } from '@keen-larder/core/phone/facts.ts';
import { plainWords } from '../plain-words.ts';
import { SetWriter } from '../shelf/image-writer.ts';
import type { ManifestImage } from '../shelf/manifest.ts';
import { unpackChunkList } from '../shelf/manifest.ts';
import { requireClear } from './clear.ts';
import type { RunContext } from './context.ts';
import { RunFailure, type Run } from './engine.ts';

/**
 * Images the picked partitions of a phone into a new set.
 * @throws Problem 422 with the checks that stand in the way
 */
export async function startImaging(
  context: RunContext,
  serial: string,
  start: ImagingStart,
): Promise<RunView> {
  const { bench, engine, sheets } = context;
  const sheet = await sheets.imaging(serial, start);
  requireClear(sheet, start.confirmed);
  const known = new Map((await bench.partitions(serial)).map((each) => [each.name, each]));
  const partitions = sheet.steps.map(({ partition }) => known.get(partition!)!);
  const phone = bench.view(serial);
  const label = start.label.trim();
  return engine.start(
    {
      kind: 'imaging',
      title: `Keep ${partitions.length} ${partitions.length === 1 ? 'image' : 'images'} of ${phone.nickname}: ${label}`,
      serial,
      nickname: phone.nickname,
      mode: bench.facts(serial).mode,
      steps: sheet.steps,
    },
    (run) => context.larder.whileWriting(() => image(context, serial, label, partitions, run)),
  );
}

async function image(
  { bench, larder, digests, now }: RunContext,
  serial: string,
  label: string,
  partitions: readonly PartitionFacts[],
  run: Run,
): Promise<string> {
  const startedAt = now();
  const facts = bench.facts(serial);
  const access = bench.access(serial);
  const writer = new SetWriter(larder.shelf);
  const images: ManifestImage[] = [];
  try {
    for (const [i, partition] of partitions.entries()) {
      await run.step(i, async (passed) => {
        const stored = await writer.write(access.read(partition.name, { signal: run.signal }), passed);
        if (stored.bytes !== partition.bytes) {
          throw new RunFailure(
            `The phone sent ${stored.bytes} of the ${partition.bytes} bytes of ${partition.name}. Check the cable, then image it again.`,
          );
        }
        const sha256 = stored.sha256.toString('hex');
        images.push({
          partition: partition.name,
          role: partition.role,
          bytes: stored.bytes,
          chunkBytes: stored.chunkBytes,
          sha256,
          md5: stored.md5.toString('hex'),
          ...(partition.fileSystem && { fileSystem: partition.fileSystem }),
          ...(partition.usedBytes !== undefined && { usedBytes: partition.usedBytes }),
          chunks: unpackChunkList(stored.chunks),
        });
        return `SHA-256 ${sha256}`;
      });
    }
    run.signal.throwIfAborted();
    await writer.finish();
  } catch (error) {
    await writer.discard();
    if (!run.signal.aborted) {
      throw new RunFailure(`${plainWords(error)} Nothing of this run is in the larder.`, {
        cause: error,
      });
    }
    throw error;
  }
  const id = randomUUID();
  const elapsedMs = now() - startedAt;
  const { nickname } = bench.view(serial);
  await larder.add({
    id,
    label,
    note: '',
    phone: { serial, maker: facts.maker, model: facts.model, nickname },
    mode: facts.mode,
    condition: facts.condition,
    createdAt: new Date(startedAt).toISOString(),
    elapsedMs,
    addedBytes: writer.addedBytes,
    images,
  });
  for (const { partition, sha256 } of images) {
    digests.save({ serial, partition, sha256: Buffer.from(sha256, 'hex'), at: startedAt });
  }
  run.madeSet(id);
  const bytes = images.reduce((sum, each) => sum + each.bytes, 0);
  const speed = elapsedMs > 0 ? ` (${sizeText((bytes / elapsedMs) * 1000)}/s)` : '';
  return `${images.length} ${images.length === 1 ? 'image' : 'images'}, ${sizeText(bytes)} in ${durationText(elapsedMs)}${speed}; ${sizeText(writer.addedBytes)} new on the shelf.`;
}
