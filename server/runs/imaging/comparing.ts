import type { CompareRequest } from '@keen-larder/contract/requests.ts';
import type { RunView } from '@keen-larder/contract/runs.ts';
import { listText } from '@keen-larder/core/runsheet/run-sheets.ts';
import { Problem } from '../../problem.ts';
import { wholeOf } from '../../shelf/image-writer.ts';
import type { RunContext } from '../engine/run-context.ts';

/**
 * Has the phone digest partitions that the larder has images of, and compares each with its newest image.
 * @throws Problem 409 when the mode does not read, 422 when nothing of what is asked for was ever kept
 */
export async function startComparing(
  { bench, engine, digests, now }: RunContext,
  serial: string,
  { picked }: CompareRequest,
): Promise<RunView> {
  const access = bench.access(serial);
  const kept = (await bench.partitionViews(serial)).filter(
    ({ name, kept: image }) => image && (!picked || picked.includes(name)),
  );
  if (kept.length === 0)
    throw new Problem(422, 'Nothing of this was ever kept: there is nothing to compare with.');
  const { nickname } = bench.view(serial);
  return engine.start(
    {
      kind: 'comparing',
      title: `Compare ${kept.length} ${kept.length === 1 ? 'partition' : 'partitions'} of ${nickname} with the larder`,
      serial,
      nickname,
      mode: bench.facts(serial).mode,
      steps: kept.map(({ name, bytes }) => ({ text: `Digest ${name} on the phone`, partition: name, bytes })),
    },
    async (run) => {
      const changed: string[] = [];
      for (const [i, { name, bytes, kept: image }] of kept.entries()) {
        await run.step(i, async (passed) => {
          // An image may be shorter than its partition, or of its blocks in use alone: that is compared.
          const ranges = image!.ranges ?? wholeOf(Math.min(bytes, image!.bytes));
          const sha256 = await access.digest(name, ranges, run.signal);
          passed(bytes);
          digests.save({ serial, partition: name, sha256: Buffer.from(sha256, 'hex'), at: now() });
          if (sha256 === image!.sha256) return `as in “${image!.label}”`;
          changed.push(name);
          return `changed since “${image!.label}”`;
        });
      }
      if (changed.length === 0) return 'All are as they were last kept.';
      return `${listText(changed)} changed since last kept; ${kept.length - changed.length} as last kept.`;
    },
  );
}
