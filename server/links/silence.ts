import { PhoneSilent } from '../failures.ts';

/** The slowest flash that is waited for; from memory, with a wide margin. */
const slowestBytesPerSecond = 4 * 1024 * 1024;

/** Why a phone may say nothing for longer than usual. */
export interface Quiet {
  /** It reads or writes so many bytes of its flash before it can say anything. */
  readonly bytes?: number;
  /** What it does takes so long besides. */
  readonly ms?: number;
}

/** How long a phone that is connected may give no sign of life. */
export class SilenceLimit {
  constructor(private readonly stallMs: number) {}

  msFor({ bytes = 0, ms = 0 }: Quiet = {}): number {
    return this.stallMs + ms + (bytes / slowestBytesPerSecond) * 1000;
  }

  /** Waits for a sign of life. @throws PhoneSilent when none comes in time */
  async for<T>(sign: PromiseLike<T>, quiet?: Quiet): Promise<T> {
    const limitMs = this.msFor(quiet);
    let timer: NodeJS.Timeout | undefined;
    const silent = new Promise<never>((_, reject) => {
      timer = setTimeout(() => reject(new PhoneSilent(limitMs)), limitMs);
    });
    try {
      return await Promise.race([sign, silent]);
    } finally {
      clearTimeout(timer);
    }
  }
}
