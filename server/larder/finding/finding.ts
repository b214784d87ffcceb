import { posix } from 'node:path';
import type {
  FindView,
  FoundApp,
  FoundFile,
  FoundImage,
  FoundPhone,
  FoundSet,
  Hits,
} from '@keen-larder/contract/larder/finding.ts';
import type { OffsiteCopy } from '@keen-larder/contract/larder/offsite.ts';
import type { SetDetail } from '@keen-larder/contract/sets.ts';
import {
  byCloseness,
  findQuery,
  holdsAll,
  pathQuery,
  type FindQuery,
} from '@keen-larder/core/larder/finding.ts';
import type { Condition } from '@keen-larder/core/phone/facts.ts';
import type { FoundFile as FileRow, NameStatements } from '../../database/names/names.ts';
import type { CopyStatements } from '../../database/copies.ts';
import type { AloneImage, AloneStatements } from '../../database/offsite/offsite.ts';
import type { PhoneStatements } from '../../database/phones.ts';
import type { HoldingSet, SetStatements, SetWithPhone } from '../../database/sets.ts';
import type { AppCopies } from '../copies.ts';

/** Of each kind of hit. */
const mostHits = 20;
/** Names that are looked at for the closest ones; of each, places. */
const mostNames = 400;
const mostPlaces = 200;
/** Sets that are named for one file. */
const mostSets = 5;

interface FindingParts {
  readonly larder: {
    readonly copies: Pick<AppCopies, 'list'>;
    detail(id: string): Pick<SetDetail, 'fingerprint'>;
  };
  readonly names: NameStatements;
  readonly sets: SetStatements;
  /** Sets that lie in copies alone. */
  readonly alone: Pick<AloneStatements, 'holders' | 'sets'>;
  readonly phones: PhoneStatements;
  readonly copies: Pick<CopyStatements, 'holders'>;
}

/** Looks for words and checksums in everything that is kept; what is in the bin is left out. */
export class Finding {
  /** Short checksums of labels, by set: they stay as they are. */
  private readonly fingerprints = new Map<string, string>();

  constructor(private readonly parts: FindingParts) {}

  find(text: string): FindView {
    const query = findQuery(text);
    if (query.words.length === 0) return nothing;
    return {
      phones: this.findPhones(query),
      sets: hits(this.findSets(query)),
      images: query.digest === undefined ? none : this.findImages(query.digest),
      apps: this.findApps(query),
      files: hits(query.digest === undefined ? this.findFiles(query) : this.filesByDigest(query.digest)),
    };
  }

  private findPhones({ words }: FindQuery): Hits<FoundPhone> {
    const textOf = ({ nickname, serial, maker, model }: FoundPhone) =>
      [nickname, serial, maker, model].join(' ');
    return hits(this.parts.phones.known().filter((phone) => holdsAll(textOf(phone), words)));
  }

  private *findSets({ words, digest }: FindQuery): Generator<FoundSet> {
    if (digest !== undefined) yield* this.setsByFingerprint(digest);
    const longest = [...words].sort((a, b) => b.length - a.length)[0]!;
    for (const row of this.parts.sets.searched(longest))
      if (holdsAll(textOf(row), words)) yield foundSet(row);
    for (const { copies, ...set } of this.parts.alone.sets())
      if (holdsAll([set.label, set.serial, set.nickname].join(' '), words))
        yield { ...set, note: '', build: undefined, fingerprint: undefined, elsewhere: copiesIn(copies) };
  }

  private *setsByFingerprint(prefix: string): Generator<FoundSet> {
    const { larder, sets } = this.parts;
    for (const id of sets.ids()) {
      const fingerprint = this.fingerprints.get(id) ?? larder.detail(id).fingerprint;
      this.fingerprints.set(id, fingerprint);
      if (fingerprint.startsWith(prefix)) yield foundSet(sets.one(id)!, fingerprint);
    }
  }

  private findImages(prefix: string): Hits<FoundImage> {
    const [from, to] = ['0', 'f'].map((fill) => Buffer.from(prefix.padEnd(64, fill), 'hex'));
    return hits(
      this.parts.sets
        .holdersBetween(from!, to!, mostHits + 1)
        .map(({ setId, label, nickname, partition, bytes, sha256 }) => ({
          ...{ setId, label, nickname, partition, bytes },
          sha256: sha256.toString('hex'),
        })),
    );
  }

  private findApps({ words }: FindQuery): Hits<FoundApp> {
    const byPackage = new Map<string, FoundApp>();
    for (const copy of this.parts.larder.copies.list()) {
      const { package: name, label } = copy.app;
      if (copy.binnedAt !== undefined || !holdsAll(`${label} ${name}`, words)) continue;
      const had = byPackage.get(name);
      byPackage.set(name, {
        package: name,
        label: had?.label ?? label,
        copies: (had?.copies ?? 0) + 1,
        newestAt: Math.max(had?.newestAt ?? 0, copy.createdAt),
        nicknames: [...new Set([...(had?.nicknames ?? []), copy.nickname])],
      });
    }
    return hits([...byPackage.values()]);
  }

  private *findFiles(query: FindQuery): Generator<FoundFile> {
    const wanted = pathQuery(query);
    if (!wanted) return;
    const { names } = this.parts;
    const held: Holders = new Map();
    const { name: word, others } = wanted;
    const byName = new Map(
      [...names.begins(word, mostNames), ...names.holds(word, mostNames)]
        .filter(({ name }) => name.toLowerCase().includes(word))
        .map(({ id, name }) => [name, id]),
    );
    for (const name of [...byName.keys()].sort(byCloseness(word))) {
      const rows = names.filesOf(byName.get(name)!, mostPlaces);
      yield* this.placesOf(
        rows.filter((row) => holdsAll(pathOf(row), others)),
        held,
      );
    }
  }

  private filesByDigest(prefix: string): Generator<FoundFile> {
    return this.placesOf(this.parts.names.byDigest(prefix, mostPlaces), new Map());
  }

  /** The newest sets that have an image: many files are of the same one. */
  private holdersOf(sha256: Buffer, held: Holders): readonly Holder[] {
    const key = sha256.toString('latin1');
    const { sets, alone } = this.parts;
    const found = held.get(key) ?? [...sets.holders(sha256, mostSets), ...alone.holders(sha256, mostSets)];
    held.set(key, found);
    return found;
  }

  /** Files of the same path and content are one hit, with all sets that have it. */
  private *placesOf(rows: readonly FileRow[], held: Holders): Generator<FoundFile> {
    const together = new Map<string, FileRow[]>();
    for (const row of rows) {
      const key = `${pathOf(row)}\0${row.part}\0${row.sha256?.toString('hex') ?? row.treeSha256.toString('hex')}`;
      together.set(key, [...(together.get(key) ?? []), row]);
    }
    for (const same of together.values()) {
      const holders = same.flatMap(({ treeSha256 }) => this.holdersOf(treeSha256, held));
      // What lies elsewhere cannot be opened here.
      holders.sort((a, b) => Number('copies' in a) - Number('copies' in b) || b.createdAt - a.createdAt);
      const [newest] = holders;
      if (newest) yield foundFile(same[0]!, newest, holders);
      else yield* this.placeInCopies(same);
    }
  }

  /** In folders of apps that were copied; nowhere where all of it is in the bin. */
  private *placeInCopies(same: readonly FileRow[]): Generator<FoundFile> {
    const holders = same
      .flatMap(({ treeSha256 }) => this.parts.copies.holders(treeSha256, mostSets))
      .sort((a, b) => b.createdAt - a.createdAt);
    const [newest] = holders;
    if (!newest) return;
    yield {
      ...fileOf(same[0]!, newest.name),
      sets: [],
      copies: holders
        .slice(0, mostSets)
        .map(({ copyId, label, nickname, createdAt }) => ({ id: copyId, label, nickname, createdAt })),
    };
  }
}

/** Of one search, by the image's digest. */
type Holders = Map<string, readonly Holder[]>;
type Holder = HoldingSet | AloneImage;

const none = { found: [], isCut: false } as const;
const nothing: FindView = { phones: none, sets: none, images: none, apps: none, files: none };

/** The first ones: the rest is not even looked for. */
function hits<T>(all: Iterable<T>): Hits<T> {
  const found: T[] = [];
  for (const each of all) {
    if (found.length === mostHits) return { found, isCut: true };
    found.push(each);
  }
  return { found, isCut: false };
}

const pathOf = ({ folder, name }: FileRow): string => posix.join(folder, name);

const conditionOf = ({ condition }: SetWithPhone) => JSON.parse(condition) as Condition;

function textOf(row: SetWithPhone): string {
  const { build, fingerprint } = conditionOf(row);
  const { label, note, serial, nickname, maker, model } = row;
  return [label, note, serial, nickname, maker, model, build, fingerprint].join(' ');
}

const foundSet = (row: SetWithPhone, fingerprint?: string): FoundSet => ({
  id: row.id,
  label: row.label,
  note: row.note,
  serial: row.serial,
  nickname: row.nickname,
  build: conditionOf(row).build,
  createdAt: row.createdAt,
  fingerprint,
  elsewhere: [],
});

const copiesIn = (text: string) => text.split(',') as OffsiteCopy[];

const fileOf = (row: FileRow, partition: string) => ({
  path: pathOf(row),
  kind: row.kind as FoundFile['kind'],
  bytes: row.bytes,
  sha256: row.sha256?.toString('hex'),
  partition,
  part: row.part,
});

const foundFile = (row: FileRow, newest: Holder, holders: readonly Holder[]): FoundFile => ({
  ...fileOf(row, newest.partition),
  sets: holders
    .filter(({ partition }) => partition === newest.partition)
    .slice(0, mostSets)
    .map((each) => ({
      ...{ id: each.setId, label: each.label, nickname: each.nickname, createdAt: each.createdAt },
      elsewhere: 'copies' in each ? copiesIn(each.copies) : [],
    })),
  copies: [],
});
