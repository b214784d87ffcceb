// Imaging again by pieces, on a phone in memory that lies, changes, breaks off and wears out: whatever it does, an image that
// counts as whole is what its flash holds.
import { createHash } from 'node:crypto';
import { setTimeout as pause } from 'node:timers/promises';
import { afterAll, beforeAll, expect, it, vi } from 'vitest';
import type { ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import type { PartitionFacts } from '@keen-larder/core/phone/facts.ts';
import { faultSeeds, isLong } from '../../../../testing/effort.ts';
import { LarderBench, type OpenLarder } from '../../../../testing/larder.ts';
import { numbersOf } from '../../../../testing/numbers.ts';
import { FlashFailure, LinkFailure } from '../../../failures.ts';
import type { KeptImage } from '../../../larder/kept-pieces.ts';
import type { Digest, PartitionAccess, PhoneLink } from '../../../links/phone-link.ts';
import { wholeOf } from '../../../shelf/image-writer.ts';
import { readImage } from '../../../shelf/image-reader.ts';
import { SetWriter } from '../../../shelf/set-writer.ts';
import { takeImage } from '../image-taking.ts';
import { chunkBytes } from '../../../shelf/packs/pack-format.ts';
import { packPieces, unpackPieces, withFineOf, type KnownPieces } from '../../../shelf/piece-digests.ts';
import type { ByPiecesSoFar } from '@keen-larder/core/phone/cable-choice.ts';
import { until } from '../../../../testing/until.ts';
import { takeByPieces } from './by-pieces.ts';
import { ToldPieces } from './told-pieces.ts';
import { differingRanges, piecesOf, segmentsOf } from '../../phone/pieces.ts';
import type { PhoneTask } from '../../phone/phone-at-work.ts';
import { coarseBytes, fineBytes } from '@keen-larder/core/phone/piece-sizes.ts';

const imageBytes = coarseBytes + 5 * fineBytes + 73 * 4096;
const name = 'userdata';
const bench = new LarderBench();
let open: OpenLarder;
let base: KeptImage;
let first: Buffer;

beforeAll(async () => {
  const number = numbersOf(7);
  first = Buffer.alloc(imageBytes);
  // Every third stretch is zeros, as flash has them.
  for (let at = 0; at < imageBytes; at += 4096)
    if (Math.floor(at / (3 << 20)) % 3 > 0) first.writeUInt32LE(number(2 ** 32), at);
  open = await bench.open();
  const set = await bench.keep(open, 'first', { [name]: first });
  base = { label: 'first', image: open.larder.image(set, name) };
});
afterAll(() => bench.close());

type Fault = 'none' | 'lies' | 'nonsense' | 'changes' | 'cable' | 'worn' | 'few' | 'none told';
const sum = (by: 'sha256' | 'md5', bytes: Uint8Array) => createHash(by).update(bytes).digest('hex');

/** A phone in memory with what the earlier image has, but for some of it. */
function phoneOf(number: (below: number) => number, fault: Fault) {
  const flash = Buffer.from(first);
  const by = number(2) ? 'md5' : 'sha256';
  const change = () => {
    const at = number(imageBytes - 8192);
    flash.writeUInt32LE(number(2 ** 32), at);
    flash[at + number(8192)]! ^= 1;
  };
  for (let left = number(6); left >= 0; left--) change();
  const worn = fault === 'worn' ? Math.floor(number(imageBytes) / 4096) * 4096 : undefined;
  const reach = ({ offset, bytes }: ByteRange) => {
    if (worn !== undefined && worn >= offset && worn < offset + bytes) throw new FlashFailure('It is worn.');
    return flash.subarray(offset, offset + bytes);
  };
  let breaksLeft = fault === 'cable' ? 4 : 0;
  let read = 0;
  /** Digests of all of it that were told. */
  const wholes: string[] = [];
  async function* reading(ranges: readonly ByteRange[]) {
    for (const { offset, bytes } of ranges)
      for (let at = 0; at < bytes; at += 65_536) {
        if (fault === 'changes' && number(8) === 0) change();
        if (breaksLeft > 0 && number(12) === 0 && breaksLeft-- > 0)
          throw new LinkFailure('The cable came out.');
        const piece = reach({ offset: offset + at, bytes: Math.min(65_536, bytes - at) });
        read += piece.length;
        yield await Promise.resolve(Buffer.from(piece));
      }
  }
  async function* pieces({ offset, bytes }: ByteRange, pieceBytes: number): AsyncGenerator<Digest> {
    for (let at = 0; at < bytes; at += pieceBytes) {
      const [from, end] = [offset + at, offset + Math.min(bytes, at + pieceBytes)];
      if (fault === 'few' && number(3) === 0) return;
      if (breaksLeft > 0 && number(6) === 0 && breaksLeft-- > 0) throw new LinkFailure('The cable came out.');
      const isLie = fault === 'lies' && number(2) === 0;
      const hex = sum(by, (isLie ? first : flash).subarray(from, end));
      yield await Promise.resolve({
        by,
        hex: fault === 'nonsense' && number(2) === 0 ? hex.replace(/./g, '0') : hex,
      });
    }
  }
  const partitions: PartitionAccess = {
    list: () => Promise.resolve([]),
    read: (_, ranges) => reading(ranges),
    write: () => Promise.reject(new Error('Nothing is written.')),
    proofWay: () => Promise.resolve('sha256'),
    digest: async (_, ranges) => {
      const hex = sum('sha256', Buffer.concat(ranges.map(reach)));
      if (ranges[0]?.bytes === imageBytes) wholes.push(hex);
      return Promise.resolve({ by: 'sha256', hex });
    },
    ...(fault !== 'none told' && {
      digestPieces: (_: string, range: ByteRange, pieceBytes: number) =>
        Promise.resolve(pieces(range, pieceBytes)),
    }),
    doesTwoThings: true,
    source: () => {
      throw new Error('Nothing is looked at.');
    },
  };
  return { flash, partitions, worn, wholes, read: () => read };
}

/** As a phone with nothing but that tool tells. */
const toldBy =
  (by: Digest['by'], flash: Uint8Array) => (_name: string, range: ByteRange, pieceBytes: number) =>
    Promise.resolve(
      (async function* () {
        for (const { offset, bytes } of piecesOf(range, pieceBytes))
          yield await Promise.resolve({ by, hex: sum(by, flash.subarray(offset, offset + bytes)) });
      })(),
    );

async function imageAgain(partitions: PartitionAccess) {
  const link = { partitions, mode: 'recovery' } as Partial<PhoneLink> as PhoneLink;
  const { signal } = new AbortController();
  const attempt = { link, signal, passed: () => undefined };
  const phone = {
    async retry<T>({ attempt: work, onReturn, onBreak }: PhoneTask<T>): Promise<T> {
      for (let left = 20; ; left--) {
        try {
          return await work(attempt);
        } catch (error) {
          if (!(error instanceof LinkFailure) || left === 0) throw error;
          await onBreak?.();
          await onReturn?.(attempt);
        }
      }
    },
  };
  const told: string[] = [];
  const sizes: number[] = [];
  const run = {
    signal,
    log: (text: string) => void told.push(text),
    withoutBytes: <T>(work: () => Promise<T>) => work(),
  };
  return open.larder.whileWriting(async () => {
    const { shelf } = open;
    const set = new SetWriter(shelf);
    const journal = {
      begin: () => undefined,
      goOn: () => undefined,
      replaced: () => undefined,
      checkpointSoon: () => undefined,
      checkpoint: () => Promise.resolve(),
    };
    const partition: PartitionFacts = { name, bytes: imageBytes, role: 'user-data' };
    const known = { recalled: undefined, told: undefined, base };
    const passing = { passed: () => undefined, resize: (bytes: number) => void sizes.push(bytes) };
    const taken = await takeImage(
      { phone, set, shelf, journal, run },
      partition,
      wholeOf(imageBytes),
      known,
      passing,
    );
    await set.seal();
    const parts: Buffer[] = [];
    for await (const part of readImage(shelf, { partition: name, ...taken.stored })) parts.push(part);
    return { ...taken, bytes: Buffer.concat(parts), told, sizes };
  });
}

it('reads what differs, and nothing else', async () => {
  const phone = phoneOf(numbersOf(1), 'none');
  first.copy(phone.flash);
  phone.flash[5] = 1;
  phone.flash[coarseBytes + 3 * fineBytes] = 2;
  phone.flash[imageBytes - 1] = 3;
  const { bytes, unsettled, stored, told, sizes } = await imageAgain(phone.partitions);
  expect(unsettled).toEqual([]);
  expect(bytes.equals(phone.flash)).toBe(true);
  expect(stored.sha256.toString('hex')).toBe(sum('sha256', phone.flash));
  const wanted = 2 * fineBytes + (imageBytes % fineBytes);
  expect(phone.read()).toBe(wanted);
  expect(sizes.at(-1)).toBe(wanted);
  expect(told.join('\n')).toMatch(/userdata: .* are as in “first”; 2(\.\d+)? MiB were read\./);
});

it('counts what is the same, and no time for what differs, before it says that the cable is faster', async () => {
  const { partitions, flash } = phoneOf(numbersOf(3), 'none');
  first.copy(flash);
  flash[coarseBytes - 1] = 1;
  flash[imageBytes - 1] = 2;
  const asked: ByPiecesSoFar[] = [];
  /** A long moment for what crosses. */
  const access: PartitionAccess = {
    ...partitions,
    read: async function* (...what) {
      await pause(1000);
      yield* partitions.read(...what);
    },
  };
  await open.larder.whileWriting(async () => {
    const set = new SetWriter(open.shelf);
    const writer = set.image(imageBytes, wholeOf(imageBytes));
    const nothing = () => undefined;
    const takeFrom = writer.takeFrom.bind(writer);
    writer.takeFrom = async (...what) => {
      await pause(50);
      await takeFrom(...what);
    };
    const isTaken = await takeByPieces({
      ...{ access, name, writer, base, shelf: open.shelf, signal: new AbortController().signal },
      ...{ spared: nothing, told: new ToldPieces(), onStored: nothing, run: { log: nothing } },
      isWholeSooner: (soFar) => asked.push(soFar) < 0,
    });
    expect(isTaken).toBe(true);
    await set.discard();
  });
  const same = [coarseBytes - fineBytes, coarseBytes + 4 * fineBytes];
  expect(asked.map(({ sameBytes }) => sameBytes)).toEqual(same);
  // Clocks tick at their own moments.
  expect(asked[1]!.ms).toBeGreaterThan(45);
  expect(asked[1]!.ms).toBeLessThan(900);
});

it('knows where to look without reading the shelf, where digests of fine pieces are known', async () => {
  const { partitions, flash } = phoneOf(numbersOf(4), 'none');
  first.copy(flash);
  flash[coarseBytes + 1] = 2;
  const hexOf = (pieceBytes: number) =>
    [...piecesOf({ offset: 0, bytes: imageBytes }, pieceBytes)].map(({ offset, bytes }) =>
      sum('md5', first.subarray(offset, offset + bytes)),
    );
  const pieces = { by: 'md5' as const, hex: hexOf(coarseBytes), fine: hexOf(fineBytes) };
  const { shelf } = open;
  const read = vi.spyOn(shelf, 'readStored');
  const differing = async (known: KnownPieces) => {
    read.mockClear();
    const kept = { shelf, image: base.image, pieces: known };
    const found: ByteRange[] = [];
    const by = { ...partitions, digestPieces: toldBy('md5', flash) };
    for await (const range of differingRanges(by, name, kept, new AbortController().signal, () => undefined))
      found.push(range);
    expect(found).toEqual([{ offset: coarseBytes, bytes: fineBytes }]);
    return read.mock.calls.length;
  };
  expect(await differing(pieces)).toBe(0);
  // One that is not known is not believed to be anything: all of its coarse piece is read.
  const fine = pieces.fine.map((each, i) => (i === coarseBytes / fineBytes + 3 ? undefined : each));
  expect(await differing({ ...pieces, fine })).toBeGreaterThan(0);
  expect(await differing({ by: 'md5', hex: pieces.hex })).toBeGreaterThan(0);
  read.mockRestore();
  // Of an image that was taken by pieces: as far as the coarse piece around them is the same.
  const after = withFineOf({ by: 'md5', hex: pieces.hex.with(1, sum('md5', flash)) }, pieces);
  expect(after.fine?.indexOf(undefined)).toBe(coarseBytes / fineBytes);
  expect(after.fine?.slice(0, coarseBytes / fineBytes)).toEqual(
    pieces.fine.slice(0, coarseBytes / fineBytes),
  );
});

it('leaves the rest to be written where the cable is faster than comparing', async () => {
  const { partitions, flash } = phoneOf(numbersOf(6), 'none');
  first.copy(flash);
  flash[1] = 2;
  const kept = { shelf: open.shelf, image: base.image };
  const asked: ByPiecesSoFar[] = [];
  let spared = 0;
  const found: ByteRange[] = [];
  for await (const range of differingRanges(
    partitions,
    name,
    kept,
    new AbortController().signal,
    (bytes) => (spared += bytes),
    (soFar) => asked.push(soFar) === 1,
  ))
    found.push(range);
  expect(asked).toMatchObject([{ sameBytes: coarseBytes - fineBytes }]);
  expect(spared).toBe(coarseBytes - fineBytes);
  expect(found).toEqual([
    { offset: 0, bytes: fineBytes },
    { offset: coarseBytes, bytes: imageBytes - coarseBytes },
  ]);
});

it('leaves the rest to be read where the cable is faster', async () => {
  const { partitions, flash } = phoneOf(numbersOf(2), 'none');
  first.copy(flash);
  flash[coarseBytes + 1] = 2;
  const said: string[] = [];
  const told = new ToldPieces();
  let mayGoOn: () => void;
  const goesOn = new Promise<void>((resolve) => (mayGoOn = resolve));
  const tell = toldBy('md5', flash);
  /** Its last coarse piece takes it longer. */
  const access: PartitionAccess = {
    ...partitions,
    digestPieces: async (asked, range, pieceBytes) => {
      const all = await tell(asked, range, pieceBytes);
      return (async function* () {
        for await (const each of all) {
          yield each;
          if (pieceBytes === coarseBytes) await goesOn;
        }
      })();
    },
  };
  await open.larder.whileWriting(async () => {
    const set = new SetWriter(open.shelf);
    const writer = set.image(imageBytes, wholeOf(imageBytes));
    const nothing = () => undefined;
    const isTaken = await takeByPieces({
      ...{ access, name, writer, base, shelf: open.shelf, signal: new AbortController().signal },
      ...{ spared: nothing, told, onStored: nothing },
      run: { log: (text: string) => void said.push(text) },
      isWholeSooner: ({ sameBytes }) => sameBytes >= coarseBytes,
    });
    expect(isTaken).toBe(false);
    expect(writer.missing).toEqual([{ offset: coarseBytes, bytes: imageBytes - coarseBytes }]);
    await set.discard();
  });
  expect(said).toEqual([
    'userdata: this cable is faster than what was kept can be read and digested. The rest is read.',
  ]);
  // The next time it is known where to look, all the same.
  const hexOf = (...pieces: readonly Uint8Array[]) => ({
    by: 'md5',
    hex: pieces.map((each) => sum('md5', each)),
  });
  expect(told.with(undefined)).toEqual(hexOf(flash.subarray(0, coarseBytes)));
  mayGoOn!();
  await until('the rest', () => told.with(undefined)?.hex.length === 2);
  expect(told.with(undefined)).toEqual(hexOf(flash.subarray(0, coarseBytes), flash.subarray(coarseBytes)));
});

const always: readonly Fault[] = ['none', 'lies', 'nonsense', 'cable', 'few', 'none told'];
/** The others with the campaigns. */
const tried: readonly Fault[] = isLong
  ? [...always, 'changes', 'worn']
  : ['lies', 'cable', 'changes', 'worn'];
it.each(tried)(
  'a phone with the fault “%s” gets no image that is whole and is not what it holds',
  async (fault) => {
    for (let seed = 0; seed < faultSeeds(1); seed++) {
      const phone = phoneOf(numbersOf(seed * 31 + 5), fault);
      const { bytes, unsettled, stored } = await imageAgain(phone.partitions);
      const said = `seed ${seed}`;
      if (always.includes(fault)) expect(unsettled, said).toEqual([]);
      if (fault === 'worn')
        expect(
          unsettled.map(({ offset }) => offset),
          said,
        ).toEqual([phone.worn]);
      if (unsettled.length > 0) continue;
      expect(sum('sha256', bytes), said).toBe(stored.sha256.toString('hex'));
      // What changes all the time is kept as it was at one moment, by the phone's own digest of all of it.
      if (fault === 'changes') expect(phone.wholes, said).toContain(stored.sha256.toString('hex'));
      else expect(bytes.equals(phone.flash), said).toBe(true);
    }
  },
);

it('what is the same of 128 GiB is found with little memory', async () => {
  const bytes = 128 * 1024 ** 3;
  const count = bytes / coarseBytes;
  const zeros = sum('md5', Buffer.alloc(coarseBytes));
  const other = sum('md5', Buffer.from('other'));
  const image = { partition: name, bytes, chunkBytes, chunks: Buffer.alloc((bytes / chunkBytes) * 32) };
  const packed = packPieces(
    'md5',
    Array.from({ length: count }, () => zeros),
  );
  expect(packed.length).toBe(count * 16);
  async function* told(range: ByteRange, pieceBytes: number): AsyncGenerator<Digest> {
    for (let at = 0; at < range.bytes; at += pieceBytes) {
      const isOther = pieceBytes === coarseBytes ? at % (1024 * coarseBytes) === 0 : at === 0;
      yield await Promise.resolve({ by: 'md5', hex: isOther ? other : zeros });
    }
  }
  const access = {
    digestPieces: (_: string, range: ByteRange, pieceBytes: number) =>
      Promise.resolve(told(range, pieceBytes)),
  } as Partial<PartitionAccess> as PartitionAccess;
  const { signal } = new AbortController();
  const before = process.memoryUsage();
  const kept = { shelf: open.shelf, image, pieces: { by: 'md5' as const, hex: unpackPieces('md5', packed) } };
  let [differing, most] = [0, 0];
  for await (const { piece, isSame } of (await segmentsOf(
    access,
    name,
    kept,
    { offset: 0, bytes },
    signal,
  ))!) {
    if (!isSame) differing += piece.bytes;
    const { heapUsed, arrayBuffers } = process.memoryUsage();
    most = Math.max(most, heapUsed + arrayBuffers - before.heapUsed - before.arrayBuffers);
  }
  // Of each coarse piece that differs all fine ones do: the phone's zeros have another digest than a mebibyte of zeros.
  expect(differing).toBe((count / 1024) * coarseBytes);
  expect(most).toBeLessThan(128 << 20);
});

it.each([
  ['the first sixth is new, as where a log-structured file system went on', 40, 40],
  ['all of it is new', 240, 61],
])('%s: what is compared is what may be the same', async (_what, changed, comparedFine) => {
  const count = 240;
  const zeros = sum('md5', Buffer.alloc(coarseBytes));
  const other = sum('md5', Buffer.from('other'));
  const bytes = count * coarseBytes;
  const image = { partition: name, bytes, chunkBytes, chunks: Buffer.alloc((bytes / chunkBytes) * 32) };
  let fine = 0;
  async function* told(range: ByteRange, pieceBytes: number): AsyncGenerator<Digest> {
    if (pieceBytes !== coarseBytes) fine++;
    for (let at = 0; at < range.bytes; at += pieceBytes) {
      const isNew = (range.offset + at) / coarseBytes < changed;
      yield await Promise.resolve({ by: 'md5', hex: isNew ? other : zeros });
    }
  }
  const access = {
    digestPieces: (_: string, range: ByteRange, pieceBytes: number) =>
      Promise.resolve(told(range, pieceBytes)),
  } as Partial<PartitionAccess> as PartitionAccess;
  const pieces = { by: 'md5' as const, hex: Array.from({ length: count }, () => zeros) };
  const { signal } = new AbortController();
  const kept = { shelf: open.shelf, image, pieces };
  let differing = 0;
  const segments = await segmentsOf(access, name, kept, { offset: 0, bytes }, signal);
  for await (const { piece, isSame } of segments!) if (!isSame) differing += piece.bytes;
  expect(differing).toBe(changed * coarseBytes);
  // Of pieces that are new altogether most are not looked into.
  expect(fine).toBeLessThan(comparedFine / 3);
});
