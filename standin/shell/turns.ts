import type { ShellHost } from './host.ts';

/**
 * Whose turn it is on a phone's file systems, which have no kernel that keeps commands apart: many read at a
 * time, one changes them, and nobody reads meanwhile.
 */
class Turns {
  private readers = 0;
  private isChanging = false;
  private waiting: (() => void)[] = [];

  async reading<T>(work: () => Promise<T>): Promise<T> {
    while (this.isChanging) await this.next();
    this.readers++;
    try {
      return await work();
    } finally {
      this.readers--;
      this.wake();
    }
  }

  async changing<T>(work: () => Promise<T>): Promise<T> {
    while (this.isChanging || this.readers > 0) await this.next();
    this.isChanging = true;
    try {
      return await work();
    } finally {
      this.isChanging = false;
      this.wake();
    }
  }

  private next(): Promise<void> {
    return new Promise((go) => this.waiting.push(go));
  }

  private wake(): void {
    for (const go of this.waiting.splice(0)) go();
  }
}

/** Ends with the phone's run: what hangs when it is switched off holds nothing up afterwards. */
const known = new WeakMap<ShellHost, Turns>();

export function turnsOf(host: ShellHost): Turns {
  const found = known.get(host) ?? new Turns();
  known.set(host, found);
  return found;
}
