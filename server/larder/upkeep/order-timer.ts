import { nextOrderAt, type OrderRhythm } from '@keen-larder/core/larder/order-schedule.ts';
import type { OrderSchedule } from '@keen-larder/contract/order.ts';
import type { SettingStatements } from '../../database/shelves.ts';

const minute = 60_000;

interface OrderTimerParts {
  readonly settings: SettingStatements;
  readonly now: () => number;
  /** A run is under way, or the shelf is away. */
  readonly mustWait: () => boolean;
  /** Carries the rules out. */
  readonly carryOut: () => Promise<void>;
}

/** Carries the rules for keeping out when their time has come; where the program was off by then, as soon as it runs again. */
export class OrderTimer {
  private timer: NodeJS.Timeout | undefined;
  private isUnderWay = false;

  constructor(private readonly parts: OrderTimerParts) {}

  start(): void {
    this.timer = setInterval(() => void this.step().catch(() => undefined), minute);
    this.timer.unref();
  }

  stop(): void {
    clearInterval(this.timer);
  }

  view(): OrderSchedule {
    const { rhythm, since } = this.parts.settings.all().order;
    return { rhythm, nextAt: nextOrderAt(rhythm, since) };
  }

  change(rhythm: OrderRhythm): void {
    this.parts.settings.save('order', { rhythm, since: this.parts.now() });
  }

  /** Carries them out where it is time. @throws what carrying out throws: it is tried again with the next step */
  async step(): Promise<void> {
    const { settings, now, mustWait, carryOut } = this.parts;
    const { nextAt, rhythm } = this.view();
    if (nextAt === undefined || now() < nextAt || this.isUnderWay || mustWait()) return;
    this.isUnderWay = true;
    try {
      await carryOut();
      settings.save('order', { rhythm, since: now() });
    } finally {
      this.isUnderWay = false;
    }
  }
}
