import type { RunView } from '@keen-larder/contract/runs.ts';
import { listText } from '@keen-larder/core/runsheet/index.ts';
import { DamagedImage } from '../shelf/image-reader.ts';
import type { RunContext } from './context.ts';
import { RunFailure, type Run } from './engine.ts';
import { verifyImage } from './verify-image.ts';

/** Reads every image of a set back from the shelf and compares its digests. */
export function startVerifying({ larder, engine }: RunContext, setId: string): RunView {
  const set = larder.detail(setId);
  return engine.start(
    {
      kind: 'verifying',
      title: `Verify ${set.label}`,
      setId,
      steps: set.images.map(({ partition, bytes }) => ({ text: `Verify ${partition}`, partition, bytes })),
    },
    async (run: Run) => {
      const found: { partition: string; damage: string | null }[] = [];
      for (const [i, { partition }] of set.images.entries()) {
        await run.step(i, async (passed) => {
          try {
            await verifyImage(larder.shelf, larder.image(setId, partition), run.signal, passed);
            found.push({ partition, damage: null });
            return 'as it was kept';
          } catch (error) {
            if (!(error instanceof DamagedImage)) throw error;
            found.push({ partition, damage: error.message });
            run.log(error.message, 'error');
            return 'damaged';
          }
        });
      }
      larder.recordVerification(setId, found);
      const damaged = found.filter(({ damage }) => damage !== null).map(({ partition }) => partition);
      if (damaged.length > 0) {
        throw new RunFailure(
          `${listText(damaged)} is damaged on the shelf. Do not put it back; use another set.`,
        );
      }
      return `All ${found.length} images are as they were kept.`;
    },
  );
}
