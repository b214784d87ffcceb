import { Throttle } from './throttle.ts';

/** What the cable lets through. */
export interface Cable {
  /**
   * Waits until so many bytes may pass; undefined where they pass at once.
   * @throws Error when the cable is out
   */
  carry(bytes: number): Promise<void> | undefined;
}

/** A cable that can be pulled, also in the middle of a transfer, and that can go dead. */
export class PhoneCable implements Cable {
  private readonly throttle: Throttle;
  private isInside = true;
  private pullAfterBytes = Infinity;
  private stallAfterBytes = Infinity;
  /** Bytes that went over it, both ways. */
  carried = 0;
  private stalled: { readonly over: Promise<void>; readonly end: () => void } | undefined;

  /** @param onPulled told when the cable comes out by itself */
  constructor(
    bytesPerSecond: number,
    private readonly onPulled: () => void,
  ) {
    this.throttle = new Throttle(bytesPerSecond);
  }

  get isIn(): boolean {
    return this.isInside;
  }

  set(isIn: boolean): void {
    this.isInside = isIn;
    this.pullAfterBytes = Infinity;
  }

  /** Pulls the cable once so many more bytes have gone over it. */
  pullAfter(bytes: number): void {
    this.pullAfterBytes = bytes;
  }

  /** Lets nothing more through once so many more bytes have gone, until it is told to go on. */
  stallAfter(bytes: number): void {
    this.stallAfterBytes = bytes;
  }

  endStall(): void {
    this.stallAfterBytes = Infinity;
    this.stalled?.end();
    this.stalled = undefined;
  }

  carry(bytes: number): Promise<void> | undefined {
    this.carried += bytes;
    if (!this.isInside) throw new Error('the cable is out');
    this.pullAfterBytes -= bytes;
    if (this.pullAfterBytes <= 0) {
      this.set(false);
      this.onPulled();
      throw new Error('the cable is out');
    }
    this.stallAfterBytes -= bytes;
    if (this.stallAfterBytes <= 0) this.stalled ??= openGate();
    return this.stalled ? this.stalled.over.then(() => this.throttle.pass(bytes)) : this.throttle.pass(bytes);
  }
}

function openGate() {
  let end = () => {};
  const over = new Promise<void>((resolve) => (end = resolve));
  return { over, end };
}
