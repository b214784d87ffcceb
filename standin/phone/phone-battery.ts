/** What an hour does to the battery, in percent, and how many bytes over the cable take one more (from memory). */
const anHour = { charging: 20, waiting: -2 };
const bytesForOnePercent = 11e9;

/** What its surroundings do to a battery. */
export interface Surroundings {
  readonly isOn: boolean;
  readonly isOnCable: boolean;
  /** Bytes that went over the cable so far. */
  readonly carried: number;
}

/** The battery of a simulated phone: time and work change it. */
export class PhoneBattery {
  chargesOnCable = true;
  /** When, and after how many bytes, the charge was what is noted. */
  private asOf = { at: Date.now(), carried: 0 };

  /** @param charge in percent */
  constructor(
    private charge: number,
    private readonly surroundings: () => Surroundings,
  ) {}

  get percent(): number {
    this.settle();
    return Math.round(this.charge);
  }

  get isCharging(): boolean {
    return this.surroundings().isOnCable && this.chargesOnCable;
  }

  set(percent: number, chargesOnCable: boolean): void {
    this.settle();
    this.charge = within(percent);
    this.chargesOnCable = chargesOnCable;
  }

  /** Reckons what time and work have done since the last look; to be called before its surroundings change. */
  settle(): void {
    const { isOn, carried } = this.surroundings();
    const at = Date.now();
    const hours = (at - this.asOf.at) / 3_600_000;
    const byTime = hours * (this.isCharging ? anHour.charging : isOn ? anHour.waiting : 0);
    const byWork = (carried - this.asOf.carried) / bytesForOnePercent;
    this.charge = within(this.charge + byTime - byWork);
    this.asOf = { at, carried };
  }
}

const within = (percent: number) => Math.min(100, Math.max(1, percent));
