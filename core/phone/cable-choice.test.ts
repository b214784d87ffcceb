import { describe, expect, it } from 'vitest';
import { CableChoice, crossedWords, fastest, isWholeSooner, type CableWay } from './cable-choice.ts';

const MiB = 1 << 20;
const GiB = 1024 ** 3;

/** A cable, a tool that packs, and what it has to pack: bytes per second, and what is left of each byte. */
interface Situation {
  readonly cable: number;
  readonly tool: number;
  readonly share: (at: number) => number;
}

/** Carries so many bytes by choice. @returns seconds, and bytes by each way */
function carry(bytes: number, { cable, tool, share }: Situation, choice = new CableChoice()) {
  const by: Record<CableWay, number> = { plain: 0, packed: 0 };
  let seconds = 0;
  for (let at = 0; at < bytes;) {
    const { way, mostBytes } = choice.next(bytes - at);
    const part = Math.min(mostBytes, bytes - at);
    const carried = way === 'packed' ? part * share(at) : part;
    const each = way === 'packed' ? Math.max(carried / cable, part / tool) : part / cable;
    choice.measured({ way, bytes: part, carriedBytes: carried, ms: each * 1000 });
    by[way] += part;
    seconds += each;
    at += part;
  }
  return { seconds, by, choice };
}

describe('which way bytes cross a cable', () => {
  it('packs where the cable is slow and content packs well', () => {
    const { seconds, by } = carry(4 * GiB, { cable: 38e6, tool: 150e6, share: () => 0.4 });
    expect(by.plain).toBeLessThan(200 * MiB);
    expect(seconds).toBeLessThan(1.05 * ((4 * GiB * 0.4) / 38e6));
  });

  it('does not pack where the tool is slower than the cable, and seldom tries it again', () => {
    const { seconds, by } = carry(64 * GiB, { cable: 90e6, tool: 25e6, share: () => 0.4 });
    expect(by.packed).toBeLessThanOrEqual(8 * 32 * MiB);
    expect(seconds).toBeLessThan(1.02 * ((64 * GiB) / 90e6));
  });

  it('follows content that stops packing, and that packs again', () => {
    const share = (at: number) => (at < GiB || at >= 20 * GiB ? 0.2 : 1.02);
    const cable = 38e6;
    const { seconds, by } = carry(30 * GiB, { cable, tool: 60e6, share });
    expect(by.packed).toBeGreaterThan(6 * GiB);
    expect(by.plain).toBeGreaterThan(15 * GiB);
    const best = 11 * GiB * Math.max(0.2 / cable, 1 / 60e6) + 19 * GiB * (1 / cable);
    expect(seconds).toBeLessThan(1.12 * best);
  });

  it('finds out when a faster cable was plugged in', () => {
    const { choice } = carry(2 * GiB, { cable: 38e6, tool: 100e6, share: () => 0.4 });
    const { by } = carry(
      64 * GiB,
      { cable: 350e6, tool: 100e6, share: () => 0.4 },
      new CableChoice(choice.speeds),
    );
    expect(by.packed).toBeLessThan(6 * GiB);
  });

  it('goes at once by what was measured before', () => {
    const speeds = { plain: 38e6, packed: 90e6, share: 0.4 };
    expect(new CableChoice(speeds).next(GiB).way).toBe('packed');
    expect(new CableChoice({ ...speeds, plain: 300e6 }).next(GiB).way).toBe('plain');
    expect(new CableChoice().next(MiB)).toEqual({ way: 'plain', mostBytes: Infinity });
  });

  it('does not try to pack for a cable that outruns every packing', () => {
    const choice = new CableChoice();
    choice.measured({ way: 'plain', bytes: 64 * MiB, carriedBytes: 64 * MiB, ms: 500 });
    expect(choice.next(4 * GiB)).toEqual({ way: 'plain', mostBytes: Infinity });
    choice.measured({ way: 'plain', bytes: 64 * MiB, carriedBytes: 64 * MiB, ms: 1700 });
    expect(choice.next(4 * GiB).way).toBe('packed');
  });

  it('counts short stretches together', () => {
    const choice = new CableChoice();
    for (let i = 0; i < 16; i++) {
      expect(choice.speeds).toEqual({});
      choice.measured({ way: 'plain', bytes: MiB, carriedBytes: MiB, ms: 10 });
    }
    expect(choice.speeds.plain).toBeCloseTo(MiB * 100);
  });

  it('tries each way once where the next stretch begins before the one before is measured', () => {
    const choice = new CableChoice();
    const plain = { way: 'plain', bytes: 64 * MiB, carriedBytes: 64 * MiB, ms: 1700 } as const;
    const packed = { way: 'packed', bytes: 32 * MiB, carriedBytes: 12 * MiB, ms: 350 } as const;
    expect(choice.next(GiB)).toEqual({ way: 'plain', mostBytes: plain.bytes });
    const plainIsOver = choice.begin('plain');
    expect(choice.next(GiB)).toEqual({ way: 'packed', mostBytes: packed.bytes });
    const packedIsOver = choice.begin('packed');
    choice.measured(plain);
    plainIsOver();
    // Of two that are not known to be slow.
    expect(choice.next(GiB)).toEqual({ way: 'packed', mostBytes: packed.bytes });
    choice.measured(packed);
    packedIsOver();
    expect(choice.next(GiB).way).toBe('packed');
    // The other one is tried again, and is not tried twice meanwhile.
    choice.measured({ ...packed, bytes: 9 * GiB, carriedBytes: 3 * GiB, ms: 90_000 });
    expect(choice.next(GiB).way).toBe('plain');
    const isOver = choice.begin('plain');
    expect(choice.next(GiB).way).toBe('packed');
    isOver();
    expect(choice.next(GiB).way).toBe('plain');
  });

  it('says what crossed only where something was packed', () => {
    const crossed = { bytes: 4 * GiB, carriedBytes: GiB, packedBy: 'gzip' };
    expect(crossedWords('system', crossed)).toBe(
      'system: 4 GiB crossed the cable as 1 GiB, packed by gzip where that is faster.',
    );
    expect(crossedWords('system', { ...crossed, packedBy: undefined })).toBeUndefined();
  });
});

describe('comparing', () => {
  it('goes on where the cable is slower, or was not measured, or too little was compared', () => {
    const slow = fastest({ plain: 38e6, packed: 55e6 });
    expect(slow).toBe(55e6);
    expect(fastest({})).toBeUndefined();
    const soFar = (sameBytes: number, ms: number) => ({ sameBytes, ms });
    expect(isWholeSooner(soFar(GiB, 10_000), slow)).toBe(false);
    expect(isWholeSooner(soFar(GiB, 10_000), undefined)).toBe(false);
    expect(isWholeSooner(soFar(127 * MiB, 10_000), 100e6)).toBe(false);
    expect(isWholeSooner(soFar(256 * MiB, 2700), 100e6)).toBe(true);
    expect(isWholeSooner(soFar(256 * MiB, 2600), 100e6)).toBe(false);
    // Half a second of a fast cable.
    expect(isWholeSooner(soFar(174e6, 10_000), 350e6)).toBe(false);
    expect(isWholeSooner(soFar(175e6, 501), 350e6)).toBe(true);
  });
});
