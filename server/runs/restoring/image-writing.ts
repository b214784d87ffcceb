import type { ImageRow } from '../../database/sets.ts';
import type { Digest, PartitionAccess } from '../../links/phone-link.ts';
import type { Shelf } from '../../shelf/shelf.ts';
import type { ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import { coarseBytes, isComparedInPieces } from '@keen-larder/core/phone/piece-sizes.ts';
import { coarseDigests, differingRanges } from '../phone/pieces.ts';
import { UnsafeEntry } from '@keen-larder/core/apps/entries.ts';
import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import type { ArchivePlan } from '@keen-larder/core/phone/archives.ts';
import type { Effect } from '@keen-larder/core/runsheet/effects.ts';
import { judgeArchive, judgedArchive } from '../../formats/judged-archive.ts';
import { digestedFiles, type ArchivedEntry } from '../../formats/tar.ts';
import { andLabels, compareUnpacked, filesAmong, filesNotReadable } from '../imaging/archive-taking.ts';
import { someOf } from '@keen-larder/core/runsheet/run-sheets.ts';
import { counted } from '../../async/counted.ts';
import { stopwatch } from '../../async/stopwatch.ts';
import { wholeOf } from '../../shelf/image-writer.ts';
import { readImage, readInPlace } from '../../shelf/image-reader.ts';
import type { RunContext } from '../engine/run-context.ts';
import type { Passed, PhoneAtWork } from '../phone/phone-at-work.ts';
import { notReadable } from '../imaging/image-proof.ts';
import { PieceDigests } from '../../shelf/piece-digests.ts';
import {
  checkChunks,
  digestWhole,
  isListed,
  listedImages,
  verifyImage,
  type ListedImages,
} from '../../shelf/verify-image.ts';
import { flashImage } from '../phone/flash-image.ts';
import type { WritingJournal } from './writing-journal.ts';
import { DamagedImage, FlashFailure, RunFailure } from '../../failures.ts';
import { accessOf, filesOf, isWrittenSooner, logCrossed, rememberPace } from '../phone/phone-access.ts';
import type { Run } from '../engine/live-run.ts';

/** An image is written so often before its phone is given up as one that does not keep what it is given. */
const writings = 3;

/** Writes images of the larder onto a phone and has it prove each. */
export class ImageWriting {
  /** What a link tells of its coarse pieces from when an image is read, by where that goes. */
  private readonly told = new Map<
    string,
    { readonly by: PartitionAccess; readonly told: AsyncIterable<Digest> }
  >();
  /** What manifests list, by set: each is read once. */
  private readonly listed = new Map<string, Promise<ListedImages>>();
  /** Ends when the last of them has told all. */
  private telling: Promise<unknown> = Promise.resolve();

  constructor(
    private readonly context: RunContext,
    private readonly journal: WritingJournal,
    private readonly run: Run,
    /** Also what the phone has already. */
    private readonly writesAll: boolean | undefined,
  ) {}

  /**
   * Reads an image as it is kept, each chunk checked against its name; pieces with which its phone will be compared are digested on
   * the way, where they are not known. Where the manifest does not list the chunks, the digest of the whole is computed.
   * @param onto the partition that it goes to
   * @throws RunFailure when it is not as it was
   */
  async verify(
    image: ImageRow,
    serial: string,
    onto: string,
    passed: (bytes: number) => void,
  ): Promise<string> {
    try {
      const { larder } = this.context;
      const { shelf } = larder;
      const { signal } = this.run;
      const own = await this.beginPieces(image, serial, onto);
      const isVouchedFor = isListed(await this.listedOf(image.setId), image);
      await (isVouchedFor ? checkChunks : verifyImage)(shelf, image, signal, passed, own);
      if (own) larder.pieces.remember(image.sha256, await own.end(image.bytes));
      if (image.kind === 'archive') await judgeArchive(readImage(shelf, image), this.run.signal);
      return 'as it was kept';
    } catch (error) {
      const isUnsafe = error instanceof UnsafeEntry || error instanceof FormatError;
      if (!(error instanceof DamagedImage) && !isUnsafe) throw error;
      const what = isUnsafe ? `${image.partition} is not put back: ${error.message}.` : error.message;
      const written = this.journal.isUntouched ? 'Nothing was written.' : 'Nothing more was written.';
      throw new RunFailure(`${what} ${written} Use another set.`, { cause: error });
    }
  }

  private listedOf(setId: string): Promise<ListedImages> {
    const listed = this.listed.get(setId) ?? listedImages(this.context.larder.shelf, setId);
    this.listed.set(setId, listed);
    return listed;
  }

  /**
   * Has the phone digest its coarse pieces, one partition after the other, while images are read.
   * @returns for those of the image, where they are not known
   */
  private async beginPieces(
    image: ImageRow,
    serial: string,
    onto: string,
  ): Promise<PieceDigests | undefined> {
    if (this.writesAll || image.ranges !== null || !isComparedInPieces(image.bytes)) return undefined;
    await this.telling;
    const access = this.context.bench.linkIn(serial)?.partitions;
    const by = await access?.quickDigest?.(onto).catch(() => undefined);
    if (!access || !by) return undefined;
    const whole = { offset: 0, bytes: image.bytes };
    const told = await coarseDigests(access, onto, whole, this.run.signal).catch(() => undefined);
    if (told) {
      this.told.set(onto, { by: access, told });
      this.telling = told.ended;
    }
    const { larder } = this.context;
    return larder.pieces.of(image)?.by === by
      ? undefined
      : new PieceDigests(by, coarseBytes, larder.shelf.workers);
  }

  /**
   * Writes one image, then has the phone itself compute what lies there now. What breaks off is written again
   * from its beginning; what does not come out as it was kept, a few times more.
   */
  async writeAndProve(
    phone: PhoneAtWork,
    image: ImageRow,
    onto: string,
    passed: (bytes: number) => void,
  ): Promise<string> {
    const { journal, run } = this;
    journal.writes(onto);
    const took = stopwatch();
    for (let writing = 1; ; writing++) {
      // What the phone told of its pieces was not so where it does not come out as it was kept.
      const spared = await this.writeOnce(phone, image, onto, passed, {
        mayCompare: writing === 1 && !this.writesAll,
        mayPack: writing === 1,
      });
      if (spared > 0) {
        const written = sizeText(image.bytes - spared);
        run.log(`${onto}: ${sizeText(spared)} were as kept already; ${written} were written.`);
      }
      const { agrees, words } = await run.withoutBytes(() => this.digests(phone, image, onto));
      if (agrees) {
        this.settle(phone, image, onto);
        const { bytes } = image;
        if (writing === 1 && !this.writesAll && isComparedInPieces(bytes))
          rememberPace(this.context, phone.serial, 'write', { name: onto, bytes }, took());
        return words;
      }
      if (writing === writings)
        throw new RunFailure(`${words} It was written ${writings} times. ${half(onto)}`);
      run.log(`${words} It is written again.`, 'warning');
      passed(-image.bytes);
    }
  }

  /**
   * Unpacks an archive of files over what is there, then has the phone digest every one of them.
   * @param plan where it goes
   * @param effects of the step, as the sheet told them: what is emptied first
   * @throws RunFailure when the archive would leave its folder
   */
  async unpackAndProve(
    phone: PhoneAtWork,
    image: ImageRow,
    plan: ArchivePlan,
    effects: readonly Effect[],
    passed: (bytes: number) => void,
  ): Promise<string> {
    const { journal, run } = this;
    const { larder } = this.context;
    journal.writes(plan.name);
    for (let writing = 1; ; writing++) {
      const entries = new Map<string, ArchivedEntry>();
      await phone.retry({
        what: `Unpack ${plan.name}`,
        passed,
        attempt: async ({ link, signal, passed }) => {
          entries.clear();
          const files = filesOf(link);
          if (!(await files.makeWritable())) throw new RunFailure(filesNotReadable);
          for (const effect of effects)
            if (effect.does === 'empties') await files.empty(effect.folder, effect.but);
          const parts = counted(readImage(larder.shelf, image), passed);
          await files.unpack(plan.folder, digestedFiles(judgedArchive(parts), entries), signal);
        },
      });
      const unpacked = await run.withoutBytes(() =>
        phone.retry({
          what: `Compare ${plan.name}`,
          attempt: ({ link, signal }) =>
            compareUnpacked(filesOf(link), plan.folder, entries, image.bytes, signal),
        }),
      );
      const { differ } = unpacked;
      if (differ.length === 0) {
        if (!unpacked.tellsLabels)
          run.log('The phone tells no SELinux labels: whether they are as kept is not known.', 'warning');
        journal.proved(plan.name);
        this.context.bench.forgetPartitions(phone.serial);
        return `the phone computes the same SHA-256 of all ${filesAmong(entries).size} files, and has the same ${andLabels(unpacked)}`;
      }
      const words = `${someOf(differ)} did not come out as ${differ.length > 1 ? 'they were' : 'it was'} kept.`;
      if (writing === writings)
        throw new RunFailure(`${words} It was unpacked ${writings} times. ${half(plan.name)}`);
      run.log(`${words} It is unpacked again.`, 'warning');
    }
  }

  /** Makes user data anew, empty. */
  async format(phone: PhoneAtWork, fileSystem: 'ext4' | 'f2fs'): Promise<string> {
    await phone.retry({
      what: 'Format user data',
      attempt: ({ link }) => filesOf(link).format(fileSystem),
    });
    this.context.bench.forgetPartitions(phone.serial);
    return `an empty ${fileSystem}`;
  }

  /** Code caches are of the system that made them. A phone whose files cannot be reached makes them anew itself. */
  clearCaches(phone: PhoneAtWork): Promise<string> {
    return phone.retry({
      what: 'Clear code caches',
      attempt: async ({ link }) => {
        const files = filesOf(link);
        if (!(await files.makeWritable())) return 'user data cannot be reached; the system makes them again';
        await files.clearCodeCaches();
        return 'cleared';
      },
    });
  }

  /** Has a bootloader take an image, which it cannot prove. */
  async flash(
    phone: PhoneAtWork,
    image: ImageRow,
    onto: string,
    passed: (bytes: number) => void,
  ): Promise<string> {
    this.journal.writes(onto);
    await this.writeOnce(phone, image, onto, passed, { mayCompare: false, mayPack: false });
    return 'the bootloader took it';
  }

  /** Proves what was written before. @throws RunFailure when the phone computes something else */
  async prove(phone: PhoneAtWork, image: ImageRow, onto: string): Promise<string> {
    const { agrees, words } = await this.digests(phone, image, onto);
    if (!agrees) throw new RunFailure(`${words} ${half(onto)}`);
    this.settle(phone, image, onto);
    return words;
  }

  /** Has the phone digest what an image was written to. */
  private async digests(
    phone: PhoneAtWork,
    image: ImageRow,
    onto: string,
  ): Promise<{ readonly agrees: boolean; readonly words: string }> {
    const { bytes } = image;
    const { told, way } = await phone.retry({
      what: `Compare ${onto}`,
      attempt: async ({ link, signal }) => {
        const access = accessOf(link);
        logCrossed(this.run, onto, access);
        const told = await access.digest(onto, wholeOf(bytes), signal).catch(notReadable);
        return { told, way: await access.proofWay() };
      },
    });
    if (!told) return { agrees: false, words: `The phone cannot read back what was written to ${onto}.` };
    const kept = (await this.keptDigest(image, told.by)).toString('hex');
    const by = told.by === 'md5' ? 'MD5' : 'SHA-256';
    if (told.hex === kept) {
      const words = way === 'second reading' ? 'read back, it has' : 'the phone computes';
      return { agrees: true, words: `${words} the same ${by} ${kept}` };
    }
    return {
      agrees: false,
      words:
        way === 'second reading'
          ? `What is read back of ${onto} has another digest (${told.hex}) than was kept (${kept}).`
          : `The phone computes another digest of ${onto} (${told.hex}) than was kept (${kept}).`,
    };
  }

  /** Notes that a partition holds what was kept. */
  private settle({ serial }: PhoneAtWork, { ranges, sha256 }: ImageRow, onto: string): void {
    const { bench, digests, now } = this.context;
    bench.forgetPartitions(serial);
    this.journal.proved(onto);
    if (ranges === null) digests.save({ serial, partition: onto, sha256, at: now() });
  }

  /** Digest of all that the image puts onto the partition, what was not read as zeros included. */
  private async keptDigest(image: ImageRow, by: 'sha256' | 'md5'): Promise<Buffer> {
    if (image.ranges === null && by === 'sha256') return image.sha256;
    return digestWhole(this.context.larder.shelf, image, by, this.run.signal);
  }

  /** @returns how many bytes the phone had already, which were not written */
  private async writeOnce(
    phone: PhoneAtWork,
    image: ImageRow,
    onto: string,
    passed: (bytes: number) => void,
    { mayCompare, mayPack }: { readonly mayCompare: boolean; readonly mayPack: boolean },
  ): Promise<number> {
    const { larder, bench } = this.context;
    const { shelf } = larder;
    try {
      return await phone.retry({
        what: `Write ${onto}`,
        passed,
        attempt: async ({ link, signal, passed }) => {
          if (link.flashing) {
            await flashImage(larder, image, onto, link.flashing, passed, signal);
            return 0;
          }
          const access = accessOf(link);
          // Whatever was wrong, it is not to be the packing again.
          if (!mayPack) access.cable?.carryPlainly();
          if (mayCompare && isComparedInPieces(image.bytes) && access.writeRanges && access.digestPieces) {
            let spared = 0;
            // After a break the phone is asked anew.
            const { by, told } = this.told.get(onto) ?? {};
            const kept = { shelf, image, pieces: larder.pieces.of(image), ...(by === access && { told }) };
            const spare = (more: number) => {
              spared += more;
              passed(more);
            };
            const isSooner = isWrittenSooner(this.run, onto, access);
            const differing = differingRanges(access, onto, kept, signal, spare, isSooner);
            await access.writeRanges(onto, readCounted(shelf, image, differing, passed), signal);
            return spared;
          }
          await access.write(onto, counted(readInPlace(shelf, image), passed), signal);
          return 0;
        },
      });
    } catch (error) {
      if (error instanceof FlashFailure) {
        throw new RunFailure(
          `${error.message} ${onto} is half written: put it back again before starting the phone.`,
          { cause: error },
        );
      }
      throw error;
    } finally {
      bench.forgetPartitions(phone.serial);
    }
  }
}

const half = (partition: string) =>
  `${partition} is half written. Try another cable and put it back again; if it stays so, the phone’s flash is worn.`;

async function* readCounted(
  shelf: Shelf,
  image: ImageRow,
  ranges: AsyncIterable<ByteRange>,
  passed: Passed,
): AsyncGenerator<{ readonly offset: number; readonly parts: AsyncIterable<Uint8Array> }> {
  for await (const range of ranges)
    yield { offset: range.offset, parts: counted(readInPlace(shelf, image, range), passed) };
}
