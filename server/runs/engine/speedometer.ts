const windowMs = 4000;
const maxSpeeds = 600;

/** Measures a transfer: its present speed, and its speed over time for the chart. */
export class Speedometer {
  private readonly passed: { at: number; bytes: number }[] = [];
  private sinceTick = 0;
  private tickMs = 1000;
  /** Bytes per second, one value a tick; ticks grow longer when a run does. */
  readonly speeds: number[] = [];
  bytesPerSecond = 0;

  /** @param tickAt when the run began, in milliseconds */
  constructor(private tickAt: number) {}

  pass(bytes: number, now: number): void {
    this.passed.push({ at: now, bytes });
    this.sinceTick += bytes;
    this.measure(now);
  }

  /** To be called a few times a second. */
  tick(now: number): void {
    this.measure(now);
    if (now - this.tickAt < this.tickMs) return;
    this.speeds.push(Math.round((this.sinceTick / (now - this.tickAt)) * 1000));
    this.tickAt = now;
    this.sinceTick = 0;
    if (this.speeds.length > maxSpeeds) this.halve();
  }

  private measure(now: number): void {
    while (this.passed.length > 1 && this.passed[0]!.at < now - windowMs) this.passed.shift();
    const first = this.passed[0];
    if (!first) return;
    const elapsedMs = Math.max(250, now - first.at);
    this.bytesPerSecond = Math.round(
      (this.passed.reduce((sum, each) => sum + each.bytes, 0) / elapsedMs) * 1000,
    );
  }

  private halve(): void {
    for (let i = 0; i * 2 + 1 < this.speeds.length; i++) {
      this.speeds[i] = Math.round((this.speeds[i * 2]! + this.speeds[i * 2 + 1]!) / 2);
    }
    this.speeds.length = Math.floor(this.speeds.length / 2);
    this.tickMs *= 2;
  }
}
