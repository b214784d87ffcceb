import type { RunView } from '@keen-larder/contract/runs.ts';
import { recordKind } from '@keen-larder/core/records/kinds.ts';
import { listText } from '@keen-larder/core/runsheet/run-sheets.ts';
import type { StoredPart } from '../../larder/copies-of-a-kind.ts';
import type { RunContext } from '../engine/run-context.ts';
import { verifyImage } from '../../shelf/verify-image.ts';
import { DamagedImage, RunFailure } from '../../failures.ts';
import type { Run } from '../engine/live-run.ts';

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
      const fault = await larder.manifestFault(setId);
      if (fault) {
        await larder.mendManifest(setId);
        run.log(
          `The manifest of this set was damaged: ${fault}. It was written anew from the catalogue.`,
          'warning',
        );
      }
      larder.recordVerification(setId, found);
      const damaged = found.filter(({ damage }) => damage !== null).map(({ partition }) => partition);
      if (damaged.length > 0) {
        throw new RunFailure(
          `${listText(damaged)} is damaged on the shelf. Do not put it back. Image it again: what the phone still has makes this set whole as well. Otherwise use another set.`,
        );
      }
      return `All ${found.length} images are as they were kept.`;
    },
  );
}

/** A copy to be verified, of whichever kind. */
interface VerifiedCopy {
  readonly id: string;
  readonly label: string;
  readonly bytes: number;
  readonly names: readonly string[];
  part(name: string): StoredPart<string>;
  found(name: string, words: string | undefined): void;
}

/**
 * Reads copies of apps and of records back from the shelf and compares their digests.
 * @throws Problem 404 when there is no such copy
 */
export function startVerifyingCopies(
  { larder, engine }: RunContext,
  picked: { readonly apps: readonly string[]; readonly records: readonly string[] },
): RunView {
  const { copies, records } = larder;
  const all: VerifiedCopy[] = [
    ...picked.apps.map((id) => {
      const { app, nickname, bytes, parts } = copies.one(id);
      return verified(copies, { id, label: `${app.label} of ${nickname}`, bytes, parts });
    }),
    ...picked.records.map((id) => {
      const { records: facts, nickname, bytes, parts } = records.one(id);
      return verified(records, { id, label: `${recordKind(facts.kind).title} of ${nickname}`, bytes, parts });
    }),
  ];
  const count = `${all.length} ${all.length === 1 ? 'copy' : 'copies'}`;
  return engine.start(
    {
      kind: 'verifying',
      title: `Verify ${all.length === 1 ? all[0]!.label : count}`,
      alsoReads: all.map(({ id }) => id),
      steps: all.map(({ label, bytes }) => ({ text: `Verify ${label}`, bytes })),
    },
    async (run: Run) => {
      const damaged: string[] = [];
      for (const [i, copy] of all.entries()) {
        await run.step(i, async (passed) => {
          let isDamaged = false;
          for (const name of copy.names) {
            try {
              await verifyImage(larder.shelf, { ...copy.part(name), ranges: null }, run.signal, passed);
              copy.found(name, undefined);
            } catch (error) {
              if (!(error instanceof DamagedImage)) throw error;
              isDamaged = true;
              copy.found(name, error.message);
              run.log(error.message, 'error');
            }
          }
          if (isDamaged) damaged.push(copy.label);
          return isDamaged ? 'damaged' : 'as it was kept';
        });
      }
      copies.changed();
      if (damaged.length > 0)
        throw new RunFailure(
          `${listText(damaged)} is damaged on the shelf. Do not put it back; copy it again while the phone is at hand.`,
        );
      return all.length === 1 ? 'It is as it was kept.' : `All ${count} are as they were kept.`;
    },
  );
}

const verified = (
  kept: {
    part(id: string, name: string): StoredPart<string>;
    found(id: string, name: string, words: string | undefined): void;
  },
  {
    id,
    label,
    bytes,
    parts,
  }: { id: string; label: string; bytes: number; parts: readonly { readonly name: string }[] },
): VerifiedCopy => ({
  id,
  label,
  bytes,
  names: parts.map(({ name }) => name),
  part: (name) => kept.part(id, name),
  found: (name, words) => kept.found(id, name, words),
});
