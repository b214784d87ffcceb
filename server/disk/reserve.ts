import { randomBytes } from 'node:crypto';
import { existsSync, rmSync, statfsSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';

const reserveBytes = 4 << 20;
/** The reserve is laid up again once there is so much room. */
const plenty = 2 * reserveBytes;

/** Room that is held back, so that on a full disk a run can still be ended and things can be deleted. */
export class Reserve {
  private readonly path: string;

  constructor(private readonly home: string) {
    this.path = join(home, 'reserve');
  }

  /** Gives the room free where the disk is nearly full: for the start of the program. */
  releaseIfShort(): void {
    if (this.freeBytes < reserveBytes) this.release();
  }

  /** Gives the room free. Returns whether there was any. */
  release(): boolean {
    if (!existsSync(this.path)) return false;
    rmSync(this.path, { force: true });
    return true;
  }

  /** Lays it up where it is not there and the disk has plenty. */
  layUp(): void {
    if (existsSync(this.path) || this.freeBytes < plenty) return;
    try {
      // Of zeros, some file systems would hold back nothing.
      writeFileSync(this.path, randomBytes(reserveBytes), { mode: 0o600 });
    } catch {
      rmSync(this.path, { force: true });
    }
  }

  private get freeBytes(): number {
    const { bavail, bsize } = statfsSync(this.home);
    return bavail * bsize;
  }
}
