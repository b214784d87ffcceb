import type { CompareRequest } from '@keen-larder/contract/requests/imaging.ts';
import type { RunView } from '@keen-larder/contract/runs.ts';
import type { ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import { archiveOf } from '@keen-larder/core/phone/archives.ts';
import { listText } from '@keen-larder/core/runsheet/run-sheets.ts';
import type { ImageRow } from '../../database/sets.ts';
import type { Digest } from '../../links/phone-link.ts';
import { wholeOf } from '../../shelf/image-writer.ts';
import type { RunContext } from '../engine/run-context.ts';
import { onPhone } from '../engine/start-run.ts';
import { PhoneAtWork } from '../phone/phone-at-work.ts';
import { md5Stored } from '../../shelf/verify-image.ts';
import { Problem } from '../../failures.ts';
import { accessOf } from '../phone/phone-access.ts';

export const leftOver = 'What was compared before it is noted';

/**
 * Has a phone digest what was read for an image, and compares it with that.
 * @param ranges of the partition: an image may be shorter, or of its blocks in use alone
 */
export async function askedOf(
  phone: PhoneAtWork,
  { shelf }: Pick<RunContext['larder'], 'shelf'>,
  image: ImageRow,
  ranges: readonly ByteRange[],
  signal: AbortSignal,
): Promise<{ readonly told: Digest; readonly isSame: boolean }> {
  const { partition, sha256 } = image;
  const told = await phone.retry({
    what: `Compare ${partition}`,
    attempt: ({ link, signal: ofTry }) => accessOf(link).digest(partition, ranges, ofTry),
  });
  const own = told.by === 'sha256' ? sha256 : await md5Stored(shelf, image, signal);
  return { told, isSame: told.hex === own.toString('hex') };
}

/**
 * Has the phone digest partitions that the larder has images of, and compares each with its newest image.
 * @throws Problem 409 when the mode does not read, 422 when nothing of what is asked for was ever kept
 */
export async function startComparing(
  context: RunContext,
  serial: string,
  { picked }: CompareRequest,
): Promise<RunView> {
  const { bench, engine, larder, digests, now } = context;
  bench.access(serial);
  const found = (await bench.partitionViews(serial)).filter(
    ({ name, kept: image }) => image && (!picked || picked.includes(name)),
  );
  // An archive of files is packed anew each time: it has no digest that the phone could compute.
  const kept = found.filter(({ name }) => archiveOf(name) === undefined);
  if (kept.length === 0)
    throw new Problem(
      422,
      found.length > 0
        ? `${listText(found.map(({ name }) => name))} ${found.length > 1 ? 'are archives' : 'is an archive'} of files: the phone has no digest of that to compare with.`
        : 'Nothing of this was ever kept: there is nothing to compare with.',
    );
  const on = onPhone(context, serial);
  return engine.start(
    {
      kind: 'comparing',
      title: `Compare ${kept.length} ${kept.length === 1 ? 'partition' : 'partitions'} of ${on.nickname} with the larder`,
      ...on,
      steps: kept.map(({ name, bytes }) => ({ text: `Digest ${name} on the phone`, partition: name, bytes })),
    },
    async (run) => {
      const phone = new PhoneAtWork(bench, serial, on.mode, run, context.retryPolicy, leftOver);
      const changed: string[] = [];
      for (const [i, { name, bytes, kept: image }] of kept.entries()) {
        await run.step(i, async (passed) => {
          const row = larder.image(image!.setId, name);
          const ranges = image!.ranges ?? wholeOf(Math.min(bytes, image!.bytes));
          const { told, isSame } = await askedOf(phone, larder, row, ranges, run.signal);
          passed(bytes);
          // Of what changed, a phone without SHA-256 tells no digest that could be laid beside another.
          const sha256 = isSame ? row.sha256 : told.by === 'sha256' && Buffer.from(told.hex, 'hex');
          if (sha256) digests.save({ serial, partition: name, sha256, at: now() });
          else digests.forget(serial, name);
          if (isSame) return `as in “${image!.label}”`;
          changed.push(name);
          return `changed since “${image!.label}”`;
        });
      }
      if (changed.length === 0) return 'All are as they were last kept.';
      return `${listText(changed)} changed since last kept; ${kept.length - changed.length} as last kept.`;
    },
  );
}
