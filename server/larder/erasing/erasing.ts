import { rm } from 'node:fs/promises';
import { existsSync } from 'node:fs';
import { basename, dirname, join } from 'node:path';
import type { ErasingView } from '@keen-larder/contract/larder/erasing.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import type { CopyStatements } from '../../database/copies.ts';
import type { PhoneRowStatements } from '../../database/erasing/phone-rows.ts';
import type { NameStatements } from '../../database/names/names.ts';
import type { SetStatements } from '../../database/sets.ts';
import { BucketFailure, Problem, SealFailure } from '../../failures.ts';
import type { OffsiteCopies } from '../../offsite/offsite-copies.ts';
import { digestsOf } from '../../shelf/manifest.ts';
import type { Shelf } from '../../shelf/shelf.ts';
import type { Larder } from '../larder.ts';
import type { Exports } from '../exports/exports.ts';
import { exportsOf } from './exports-of.ts';

/** A shorter name may stand in anything. */
const tellingLetters = 6;

interface ErasingParts {
  readonly larder: Larder;
  readonly shelf: Shelf;
  readonly sets: SetStatements;
  readonly copies: CopyStatements;
  readonly names: NameStatements;
  readonly rows: PhoneRowStatements;
  readonly offsite: Pick<OffsiteCopies, 'state' | 'erase' | 'unfetchedOf'>;
  readonly exportFolder: string;
  readonly exports: Pick<Exports, 'ofPhone' | 'remove'>;
  /** Replaces all copies of the catalogue by one of how it is now. */
  readonly renewSnapshots: () => Promise<void>;
  /** Files and photos of job cards. */
  readonly jobFiles: { shred(jobIds: readonly string[]): void };
  /** A run works with the phone, or waits to. */
  readonly isBusy: (serial: string) => boolean;
  readonly isHere: (serial: string) => boolean;
}

/** What a step of erasing does, in words before and after. */
export interface ErasingStep {
  readonly text: string;
  work(): Promise<string>;
}

/** Removes everything that is kept of a phone, for a customer who asks for it. */
export class Erasing {
  constructor(private readonly parts: ErasingParts) {}

  /** @throws Problem 404 where nothing of it is known */
  async view(serial: string): Promise<ErasingView> {
    const { larder, shelf, offsite, rows, exportFolder, isBusy, isHere } = this.parts;
    const phone = larder.phone(serial);
    if (!phone) throw new Problem(404, `The larder knows no phone ${serial}.`);
    const { sets, copies } = this.idsOf(serial);
    const { own, shared } = this.chunksOf(serial);
    const bytesOf = (digests: Iterable<Buffer>) => {
      let sum = 0;
      for (const digest of digests) sum += shelf.find(digest)?.storedBytes ?? 0;
      return sum;
    };
    const { state } = offsite;
    const inUse = [...sets, ...copies].flatMap((id) => larder.bin.whyInUse(id) ?? []);
    const hindrances = [
      ...(isBusy(serial) ? ['A run on this phone is under way. Wait until it has ended.'] : []),
      ...(isHere(serial)
        ? ['The phone is connected, and the bench would know it at once again. Disconnect it first.']
        : []),
      ...new Set(inUse),
      ...(state === 'locked'
        ? ['The off-site copy is locked. Unlock it first: what is there is to go as well.']
        : []),
      ...(state === 'open' ? await this.unfetched(serial) : []),
      ...(shelf.absence === undefined ? [] : [shelf.absence]),
      ...shelf.doubts,
    ];
    return {
      serial,
      nickname: phone.nickname,
      sets: sets.length,
      copies: copies.length,
      runs: rows.runs(serial).length,
      exports: [...new Set([...(await exportsOf(exportFolder, serial)), ...this.exportsMade(serial)])].sort(),
      ownBytes: bytesOf(own.values()),
      sharedBytes: bytesOf(shared.values()),
      offsite: state,
      hindrances,
    };
  }

  /** @throws Problem 404, or 409 with what stands in the way */
  async steps(serial: string): Promise<ErasingStep[]> {
    const view = await this.view(serial);
    const [first] = view.hindrances;
    if (first !== undefined) throw new Problem(409, first);
    const { larder, shelf, names, rows, offsite, exportFolder, exports, renewSnapshots } = this.parts;
    const { own } = this.chunksOf(serial);
    // Read now: the catalogue forgets them with the phone.
    const made = exports.ofPhone(serial);
    const said = this.namesOf(serial);
    const count = (n: number, one: string, many: string) => `${n} ${n === 1 ? one : many}`;
    const steps: ErasingStep[] = [
      {
        text: `Remove ${count(view.sets, 'set', 'sets')} and ${count(view.copies, 'copy', 'copies')}`,
        work: async () => {
          const { sets, apps, records } = this.idsOf(serial);
          await larder.remove(sets);
          await larder.copies.remove(apps);
          await larder.records.remove(records);
          return 'removed, the bin left out';
        },
      },
      // Before the catalogue is written anew, which knows of them.
      ...(view.exports.length > 0
        ? [
            {
              text: `Remove ${count(view.exports.length, 'export', 'exports')}`,
              work: async () => {
                const away: string[] = [];
                for (const { id, path } of made) {
                  if (!existsSync(path)) away.push(path);
                  await exports.remove(id);
                }
                for (const name of await exportsOf(exportFolder, serial))
                  await rm(join(exportFolder, name), { recursive: true });
                // Names of exports tell of the phone.
                return away.length === 0
                  ? 'removed'
                  : `removed; not there now, to be removed by hand: ${away.join(', ')}`;
              },
            },
          ]
        : []),
      {
        text: 'Remove what the catalogue knows of it',
        work: () => {
          // First: afterwards nobody knows which cards were its own.
          this.parts.jobFiles.shred(rows.cards(serial));
          rows.erase(serial, said);
          return Promise.resolve(count(view.runs, 'run', 'runs') + ' with their logs, and the phone itself');
        },
      },
      {
        text: 'Free its bytes on the shelf',
        work: async () => {
          const { freedBytes } = await larder.bin.shred();
          const left = [...own.values()].filter((digest) => shelf.find(digest) !== undefined);
          if (left.length > 0)
            throw new Problem(
              409,
              `${left.length} chunks of it lie in packs in which something of other sets is damaged. Verify those sets, image their phones again, then erase this phone once more.`,
            );
          return `${sizeText(freedBytes)} removed; ${sizeText(view.sharedBytes)} stay, which other phones have as well`;
        },
      },
      {
        text: 'Remove names of files, and copies of the catalogue',
        work: async () => {
          const { sets, copies } = this.parts;
          const named = [...sets.namedImages(), ...copies.namedParts()];
          const kept = new Set(named.map(({ sha256 }) => sha256.toString('hex')));
          names.forget(names.lookedInto().filter((digest) => !kept.has(digest.toString('hex'))));
          names.shrink();
          rows.shred();
          await renewSnapshots();
          return 'rewritten without it';
        },
      },
    ];
    if (view.offsite === 'open')
      steps.push({
        text: 'Remove it off-site',
        work: async () => {
          const packs = await offsite.erase([...own.values()]);
          return packs === 0
            ? 'nothing of it was there alone'
            : `its manifests are gone; ${count(packs, 'pack goes', 'packs go')} a day from now, with the next copying after that`;
        },
      });
    return steps;
  }

  /** What is off-site alone is not known here by its bytes: it is fetched first, and goes with the rest. */
  private async unfetched(serial: string): Promise<string[]> {
    try {
      const { length } = await this.parts.offsite.unfetchedOf(serial);
      return length === 0
        ? []
        : [
            `The off-site copy has ${length === 1 ? 'a set or copy' : `${length} sets and copies`} of it that the larder does not have. Fetch ${length === 1 ? 'it' : 'them'} on Larder › Off-site: what is here goes there as well.`,
          ];
    } catch (error) {
      if (error instanceof BucketFailure || error instanceof SealFailure) return [error.message];
      throw error;
    }
  }

  /** Names of those in the usual folder, paths of the others. */
  private exportsMade(serial: string): string[] {
    const { exports, exportFolder } = this.parts;
    return exports
      .ofPhone(serial)
      .map(({ path }) => (dirname(path) === exportFolder ? basename(path) : path));
  }

  /** What runs over several phones call it and its sets. */
  private namesOf(serial: string): string[] {
    const { larder, sets } = this.parts;
    const { nickname, model } = larder.phone(serial)!;
    const own = sets.all().filter((row) => row.serial === serial);
    return [
      ...own.map(({ id }) => id),
      ...own.flatMap(({ label }) => [`“${label}”`, ...(label.length >= tellingLetters ? [label] : [])]),
      ...(nickname !== model && nickname.length >= tellingLetters ? [nickname] : []),
    ];
  }

  private idsOf(serial: string) {
    const { sets, copies } = this.parts;
    const of = (kind: 'app' | 'records') =>
      copies.all(kind).flatMap((row) => (row.serial === serial ? [row.id] : []));
    const [apps, records] = [of('app'), of('records')];
    return {
      sets: sets.all().flatMap((row) => (row.serial === serial ? [row.id] : [])),
      apps,
      records,
      copies: [...apps, ...records],
    };
  }

  /** Chunks of a phone: those that nothing else has, and the others. */
  private chunksOf(serial: string): {
    readonly own: ReadonlyMap<string, Buffer>;
    readonly shared: ReadonlyMap<string, Buffer>;
  } {
    const { sets, copies } = this.parts;
    const { sets: ids, copies: copyIds } = this.idsOf(serial);
    const [mine, myCopies] = [new Set(ids), new Set(copyIds)];
    const own = new Map<string, Buffer>();
    const shared = new Map<string, Buffer>();
    const lists = function* (isMine: boolean) {
      for (const { id } of sets.all())
        if (mine.has(id) === isMine)
          for (const { partition } of sets.heads(id)) yield sets.image(id, partition)!.chunks;
      for (const { copyId, name } of copies.heads())
        if (myCopies.has(copyId) === isMine) yield copies.part(copyId, name)!.chunks;
    };
    for (const list of lists(true))
      for (const digest of digestsOf(list)) if (digest) own.set(digest.toString('latin1'), digest);
    for (const list of lists(false))
      for (const digest of digestsOf(list)) {
        const key = digest?.toString('latin1');
        if (key === undefined || !own.has(key)) continue;
        own.delete(key);
        shared.set(key, digest!);
      }
    return { own, shared };
  }
}
