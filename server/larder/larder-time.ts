import { isDiskFull } from '../failures.ts';
import type { LarderTimeStatements } from '../database/shelves.ts';

const hour = 60 * 60 * 1000;
/** So much counts at most of a time in which the program was off: the computer's clock alone knows it, and it may be wrong. */
const mostWhileOff = 12 * hour;

/**
 * Time that has passed for sure, in milliseconds since the larder was made. The computer's clock may jump, by a year even:
 * what is removed after some days is removed by this time.
 */
export class LarderTime {
  private readonly startedMs: number;
  private readonly startedAt: number;

  /** @param wall the computer's clock @param monotonic one that does not jump; both in milliseconds */
  constructor(
    private readonly statements: LarderTimeStatements,
    private readonly wall: () => number,
    private readonly monotonic: () => number = () => performance.now(),
  ) {
    const before = statements.row();
    const off = before ? wall() - before.wallAt : 0;
    this.startedMs = (before?.elapsedMs ?? 0) + Math.min(Math.max(0, off), mostWhileOff);
    this.startedAt = monotonic();
    this.save();
  }

  get nowMs(): number {
    return Math.round(this.startedMs + this.monotonic() - this.startedAt);
  }

  /** To be called now and then, and at the end. A full disk does not take it: then less time has passed, which frees nothing. */
  save(): void {
    try {
      this.statements.save({ elapsedMs: this.nowMs, wallAt: Math.round(this.wall()) });
    } catch (error) {
      if (!isDiskFull(error)) throw error;
    }
  }
}
