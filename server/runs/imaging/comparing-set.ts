import type { RunView } from '@keen-larder/contract/runs.ts';
import { mergeRanges, type ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import { listText } from '@keen-larder/core/runsheet/run-sheets.ts';
import type { PhoneSides } from '../../bench/phone-sides.ts';
import { Problem } from '../../failures.ts';
import type { PartitionAccess } from '../../links/phone-link.ts';
import { wholeOf } from '../../shelf/image-writer.ts';
import type { RunContext } from '../engine/run-context.ts';
import { onPhone } from '../engine/start-run.ts';
import { accessOf } from '../phone/phone-access.ts';
import { PhoneAtWork } from '../phone/phone-at-work.ts';
import { segmentsOf } from '../phone/pieces.ts';
import { askedOf, leftOver } from './comparing.ts';

/**
 * Has a phone digest what a set has images of, and where it differs its pieces: what differs and where is known then, without reading it.
 * @throws Problem 404, 409 when the mode does not read, 422 where the phone has nothing of the set
 */
export async function startComparingSet(
  context: RunContext & { readonly phoneSides: PhoneSides },
  serial: string,
  setId: string,
): Promise<RunView> {
  const { bench, engine, larder, phoneSides } = context;
  bench.access(serial);
  const { label, images } = larder.detail(setId);
  const partitions = await bench.partitions(serial);
  const compared = images.filter(
    ({ kind, partition }) => kind === 'block' && partitions.some(({ name }) => name === partition),
  );
  if (compared.length === 0)
    throw new Problem(422, `Of “${label}” the phone has no partition that could be compared.`);
  const on = onPhone(context, serial);
  return engine.start(
    {
      kind: 'comparing',
      title: `Compare ${on.nickname} with “${label}”`,
      ...on,
      alsoReads: [setId],
      steps: compared.map(({ partition, bytes }) => ({
        text: `Digest ${partition} on the phone`,
        partition,
        bytes,
      })),
    },
    async (run) => {
      const phone = new PhoneAtWork(bench, serial, on.mode, run, context.retryPolicy, leftOver);
      const differ: string[] = [];
      for (const [i, { partition, bytes, ranges }] of compared.entries()) {
        await run.step(i, async (passed) => {
          const there = partitions.find(({ name }) => name === partition)!.bytes;
          const read = ranges ?? wholeOf(Math.min(there, bytes));
          const image = larder.image(setId, partition);
          const { isSame } = await askedOf(phone, larder, image, read, run.signal);
          passed(bytes);
          const pieces = { shelf: larder.shelf, image, pieces: larder.pieces.of(image) };
          const differing =
            isSame || ranges
              ? undefined
              : await phone.retry({
                  what: `Compare pieces of ${partition}`,
                  attempt: ({ link, signal }) =>
                    differingRanges(accessOf(link), partition, pieces, read[0]!, signal),
                });
          phoneSides.findings.save(partitions, setId, partition, { at: context.now(), isSame, differing });
          if (isSame) return 'the same';
          differ.push(partition);
          return 'differs';
        });
      }
      return differ.length === 0
        ? `All are as in “${label}”.`
        : `${listText(differ)} ${differ.length === 1 ? 'differs' : 'differ'} from “${label}”; ${compared.length - differ.length} are the same.`;
    },
  );
}

/** Undefined where the phone tells no digests of pieces. */
async function differingRanges(
  access: PartitionAccess,
  name: string,
  kept: Parameters<typeof segmentsOf>[2],
  range: ByteRange,
  signal: AbortSignal,
): Promise<readonly ByteRange[] | undefined> {
  const segments = await segmentsOf(access, name, kept, range, signal, 1);
  if (!segments) return undefined;
  const differing: ByteRange[] = [];
  for await (const { piece, isSame } of segments) if (!isSame) differing.push(piece);
  return mergeRanges(differing);
}
