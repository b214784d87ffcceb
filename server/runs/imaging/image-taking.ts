import { onePiece } from '@keen-larder/core/bytes/one-piece.ts';
import { isWholeSooner } from '@keen-larder/core/phone/cable-choice.ts';
import { rangesBytes, rangesText, type ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import type { ProofWay } from '@keen-larder/core/phone/proof-ways.ts';
import type { PartitionFacts } from '@keen-larder/core/phone/facts.ts';
import type { Digest, PhoneLink } from '../../links/phone-link.ts';
import type { ImageWriter, StoredImage } from '../../shelf/image-writer.ts';
import { chunkBytes } from '../../shelf/packs/pack-format.ts';
import type { SetWriter } from '../../shelf/set-writer.ts';
import type { Shelf } from '../../shelf/shelf.ts';
import type { Journal, Recalled } from './imaging-journal.ts';
import { withFineOf, type KnownPieces } from '../../shelf/piece-digests.ts';
import type { Run } from '../engine/live-run.ts';
import { readInParts } from '../phone/partition-reading.ts';
import type { Attempt, PhoneAtWork } from '../phone/phone-at-work.ts';
import type { KeptImage } from '../../larder/kept-pieces.ts';
import { takeByPieces } from './again/by-pieces.ts';
import { ToldPieces } from './again/told-pieces.ts';
import { proveImage } from './image-proof.ts';
import { FlashFailure, MoreThanAsked, RunFailure } from '../../failures.ts';
import { md5Stored } from '../../shelf/verify-image.ts';
import { accessOf, logCrossed } from '../phone/phone-access.ts';

/** What came of taking one image. */
export interface TakenImage {
  readonly stored: StoredImage;
  readonly ranges: readonly ByteRange[];
  /** What the phone did not give the same way twice, or not at all. */
  readonly unsettled: readonly ByteRange[];
  /** How the rest was proved. */
  readonly proof: ProofWay;
  /** Digests of its pieces, as far as they came to be known on the way. */
  readonly pieces: KnownPieces | undefined;
}

/** What taking images needs. */
export interface Taking {
  readonly phone: Pick<PhoneAtWork, 'retry'>;
  readonly set: SetWriter;
  readonly shelf: Shelf;
  readonly journal: Pick<Journal, 'begin' | 'goOn' | 'replaced' | 'checkpoint' | 'checkpointSoon'>;
  readonly run: Pick<Run, 'log' | 'signal' | 'withoutBytes'>;
}

/** What is known of an image before it is read. */
export interface Known {
  /** What an earlier run has put on the shelf of it. */
  readonly recalled: Recalled | undefined;
  /** The phone's digest of all of it, where it was asked before. */
  readonly told: Digest | undefined;
  /** An earlier image of all of it: what the phone still has as that has it is not read. */
  readonly base: KeptImage | undefined;
}

/** Who is told how far it is. */
export interface Told {
  /** Told the bytes as they pass; fewer than none when they must pass again. */
  passed(bytes: number): void;
  /** Told how many bytes there are to read. */
  resize(bytes: number): void;
}

const checkpointMs = 4000;

/**
 * Reads one image, through whatever happens to the link, and has the phone prove it.
 * @param ranges what is to be read
 */
export async function takeImage(
  taking: Taking,
  partition: PartitionFacts,
  ranges: readonly ByteRange[],
  known: Known,
  passing: Told,
): Promise<TakenImage> {
  const told = new ToldPieces();
  try {
    return await takeAndProve(taking, partition, ranges, known, told, passing);
  } finally {
    told.stop();
  }
}

async function takeAndProve(
  taking: Taking,
  partition: PartitionFacts,
  ranges: readonly ByteRange[],
  { recalled, told: toldBefore, base }: Known,
  told: ToldPieces,
  { passed, resize }: Told,
): Promise<TakenImage> {
  const { phone, set, journal, run, shelf } = taking;
  const { name } = partition;
  const writer = set.image(partition.bytes, ranges);
  const unreadable: ByteRange[] = [];
  const early = new EarlyDigest(name, ranges, run.signal, toldBefore);
  let writtenDownAt = performance.now();
  const checkpointIfDue = () => {
    if (performance.now() - writtenDownAt < checkpointMs) return;
    writtenDownAt = performance.now();
    journal.checkpointSoon();
  };
  let spared = 0;
  /** What comes from the shelf is not to be read. */
  const spare = (bytes: number) => {
    spared += bytes;
    resize(rangesBytes(ranges) - spared);
    checkpointIfDue();
  };
  const startAnew = async (why: string) => {
    run.log(why, 'warning');
    early.forget();
    told.forget();
    passed(spared - writer.taken);
    spare(-spared);
    await writer.startAnew();
    unreadable.length = 0;
    journal.begin(name, ranges, writer);
  };
  const check = async (attempt: Attempt) => {
    if (writer.taken === 0 || (await isStillSo(taking, name, writer, attempt))) return;
    await startAnew(`${name} changed while the phone was away: it is read from its beginning.`);
  };

  if (recalled && sameRanges(recalled.ranges, ranges)) {
    await writer.takeUp(recalled.progress);
    passed(writer.taken);
    journal.goOn(name, writer);
    run.log(`${sizeText(writer.taken)} of ${name} are on the shelf already.`);
    // What the phone could not read then is not taken for what it holds now: the proof finds it again.
    await phone.retry({
      what: `Compare ${name}`,
      attempt: check,
    });
  } else {
    journal.begin(name, ranges, writer);
  }

  const onStored = (bytes: number) => {
    passed(bytes);
    checkpointIfDue();
  };
  const read = (attempt: (attempt: Attempt) => Promise<void>) =>
    phone.retry({
      what: `Read ${name}`,
      attempt,
      progress: () => writer.taken,
      onReturn: check,
      onBreak: async () => {
        await set.seal();
        await journal.checkpoint();
      },
    });
  while (writer.missing.length > 0) {
    try {
      await read(async ({ link, signal }) => {
        early.begin(link);
        const access = accessOf(link);
        // What is read in pieces later says less of it.
        const readSpeed = access.cable?.readSpeed;
        const isTaken =
          base &&
          // How fast it goes says nothing about the cable.
          (await run.withoutBytes(() =>
            takeByPieces({
              ...{ access, name, writer, base, shelf, run, signal, spared: spare, told, onStored },
              isWholeSooner: (soFar) => isWholeSooner(soFar, readSpeed),
            }),
          ));
        if (!isTaken) await writer.take(access.read(name, writer.missing, signal), onStored);
      });
      if (writer.missing.length > 0)
        await read((attempt) => readPiece(attempt, name, writer, unreadable, onStored));
    } catch (error) {
      if (error instanceof MoreThanAsked) {
        const words = `${name} is not as the phone told it: it gives more than the ${sizeText(partition.bytes)} that it was said to have. Nothing of it is kept. Look at its partitions again, then start anew.`;
        throw new RunFailure(words, { cause: error });
      }
      if (!(error instanceof FlashFailure)) throw error;
      await read((attempt) => readPiece(attempt, name, writer, unreadable, onStored));
    }
  }
  const stored = await writer.finish();
  if (base && spared > 0) {
    const read = sizeText(rangesBytes(ranges) - spared);
    run.log(`${name}: ${sizeText(spared)} are as in “${base.label}”; ${read} were read.`);
  }
  if (unreadable.length > 0) {
    run.log(`${name}: the phone cannot read ${rangesText(unreadable)}; they are kept as zeros.`, 'error');
  }
  const proving = { phone, set, shelf, run };
  const proven = await proveImage(proving, name, ranges, stored, unreadable.length === 0, early.told);
  if (proven.stored !== stored) {
    journal.replaced(name, ranges, { taken: rangesBytes(ranges), chunks: proven.stored.chunks });
  }
  const isAsTold = proven.stored === stored && proven.unsettled.length === 0;
  const known = isAsTold ? told.with(await writer.knownPieces()) : undefined;
  const pieces = known && withFineOf(known, base?.pieces);
  const proof = await phone.retry({
    what: `Compare ${name}`,
    attempt: ({ link }) => {
      const access = accessOf(link);
      logCrossed(run, name, access);
      return access.proofWay();
    },
  });
  return { ...proven, ranges, proof, pieces };
}

/** Less is digested in no time. */
const worthDigestingEarly = 8 << 20;

/**
 * The phone's own digest of what is being read, computed meanwhile: its flash is faster than any cable, so the
 * proof costs no time of its own. When it comes to nothing, the phone is asked again afterwards.
 */
class EarlyDigest {
  told: Promise<Digest | undefined> | undefined;
  private controller = new AbortController();

  constructor(
    private readonly name: string,
    private readonly ranges: readonly ByteRange[],
    private readonly cancelled: AbortSignal,
    told: Digest | undefined,
  ) {
    if (told) this.told = Promise.resolve(told);
  }

  begin(link: PhoneLink): void {
    const access = accessOf(link);
    if (this.told || !access.doesTwoThings || rangesBytes(this.ranges) < worthDigestingEarly) return;
    const signal = AbortSignal.any([this.controller.signal, this.cancelled]);
    this.told = access.digest(this.name, this.ranges, signal).catch(() => undefined);
  }

  /** What it told is of no use any more. */
  forget(): void {
    this.controller.abort();
    this.controller = new AbortController();
    this.told = undefined;
  }
}

/** The phone digests what was read of a partition: whether it is still the same. */
async function isStillSo(
  { set, shelf }: Taking,
  partition: string,
  writer: ImageWriter,
  { link, signal }: Attempt,
): Promise<boolean> {
  const present = await accessOf(link).digest(partition, writer.rangesRead, signal);
  if (present.by === 'sha256') return present.hex === (await writer.sha256SoFar()).toString('hex');
  const stored = { partition, ...(await writer.soFar()), ranges: JSON.stringify(writer.rangesRead) };
  await set.seal();
  return present.hex === (await md5Stored(shelf, stored, signal)).toString('hex');
}

/** Reads the next chunk in smaller and smaller pieces; what cannot be read at all becomes zeros. */
async function readPiece(
  attempt: Attempt,
  name: string,
  writer: ImageWriter,
  unreadable: ByteRange[],
  onStored: (bytes: number) => void,
): Promise<void> {
  const { offset, bytes } = writer.missing[0]!;
  const lost: ByteRange[] = [];
  const piece = await readInParts(attempt, name, { offset, bytes: Math.min(bytes, chunkBytes) }, lost);
  await writer.take(onePiece(piece), onStored);
  unreadable.push(...lost);
}

const sameRanges = (a: readonly ByteRange[] | undefined, b: readonly ByteRange[]): boolean =>
  JSON.stringify(a) === JSON.stringify(b);
