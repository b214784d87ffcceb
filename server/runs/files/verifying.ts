import type { RunView } from '@keen-larder/contract/runs.ts';
import { recordKind } from '@keen-larder/core/records/kinds.ts';
import { listText } from '@keen-larder/core/runsheet/run-sheets.ts';
import type { StoredPart } from '../../larder/copies-of-a-kind.ts';
import type { RunContext } from '../engine/run-context.ts';
import { verifyImage } from '../../shelf/verify-image.ts';
import { DamagedImage, PartFailure, RunFailure } from '../../failures.ts';
import type { Run } from '../engine/live-run.ts';

/** Reads every image of some sets back from the shelf and compares its digests. @throws Problem 404 */
export function startVerifying({ larder, engine }: RunContext, setIds: readonly string[]): RunView {
  const sets = setIds.map((id) => larder.detail(id));
  const isOne = sets.length === 1;
  const [first] = sets;
  const images = sets.flatMap(({ id, label, images }) =>
    images.map(({ partition, bytes }) => ({ id, label, partition, bytes })),
  );
  return engine.start(
    {
      kind: 'verifying',
      title: isOne ? `Verify ${first!.label}` : `Verify ${sets.length} sets`,
      ...(isOne ? { setId: first!.id } : { alsoReads: setIds }),
      steps: images.map(({ label, partition, bytes }) => ({
        text: isOne ? `Verify ${partition}` : `Verify ${partition} of ${label}`,
        partition,
        bytes,
      })),
    },
    async (run: Run) => {
      const found = new Map<string, { partition: string; damage: string | null }[]>();
      for (const [i, { id, partition }] of images.entries()) {
        const ofSet = found.get(id) ?? [];
        found.set(id, ofSet);
        await run.part(i, async (passed) => {
          try {
            await verifyImage(larder.shelf, larder.image(id, partition), run.signal, passed);
            ofSet.push({ partition, damage: null });
            return 'as it was kept';
          } catch (error) {
            if (!(error instanceof DamagedImage)) throw error;
            ofSet.push({ partition, damage: error.message });
            throw new PartFailure(`damaged: ${error.message}`, { cause: error });
          }
        });
      }
      const damaged: string[] = [];
      for (const { id, label } of sets) {
        const ofSet = found.get(id) ?? [];
        const fault = await larder.manifestFault(id);
        if (fault) {
          await larder.mendManifest(id);
          run.log(
            `The manifest of ${isOne ? 'this set' : label} was damaged: ${fault}. It was rewritten from the catalogue.`,
            'warning',
          );
        }
        larder.recordVerification(id, ofSet);
        for (const { partition, damage } of ofSet)
          if (damage !== null) damaged.push(isOne ? partition : `${partition} of ${label}`);
      }
      if (damaged.length > 0) {
        throw new RunFailure(
          `${listText(damaged)} ${damaged.length === 1 ? 'is' : 'are'} damaged on the shelf. Do not put ${damaged.length === 1 ? 'it' : 'them'} back. Image again: what the phone still has makes this set whole as well. Otherwise use another set.`,
        );
      }
      return `All ${images.length} images are as they were kept.`;
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
        await run.part(i, async (passed) => {
          let fault: string | undefined;
          for (const name of copy.names) {
            try {
              await verifyImage(larder.shelf, { ...copy.part(name), ranges: null }, run.signal, passed);
              copy.found(name, undefined);
            } catch (error) {
              if (!(error instanceof DamagedImage)) throw error;
              fault ??= error.message;
              copy.found(name, error.message);
              run.log(error.message, 'error');
            }
          }
          if (fault === undefined) return 'as it was kept';
          damaged.push(copy.label);
          throw new PartFailure(`damaged: ${fault}`);
        });
      }
      copies.changed();
      if (damaged.length > 0)
        throw new RunFailure(
          `${listText(damaged)} ${damaged.length === 1 ? 'is' : 'are'} damaged on the shelf. Do not put ${damaged.length === 1 ? 'it' : 'them'} back; copy again while the phone is at hand.`,
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
