const minute = 60_000;
/** After something changed it is waited for more of it. */
const restMs = minute;
/** After a try that did not succeed. */
const againMs = 15 * minute;
/** A bucket may lose something: it is looked at again, though nothing changed here. */
const lookAgainMs = 6 * 60 * minute;

interface GoingOnParts {
  /** A run is under way. */
  readonly isBusy: () => boolean;
  readonly mayGoOn: (hour: number) => boolean;
  /** Copies what is missing; resolves to whether it succeeded. */
  readonly goOn: () => Promise<boolean>;
  readonly now: () => number;
}

/** Keeps the off-site copy in step by itself, some time after something changed. */
export class GoingOn {
  private dueAt: number | undefined;
  private timer: NodeJS.Timeout | undefined;

  constructor(private readonly parts: GoingOnParts) {}

  start(): void {
    this.look();
    this.timer = setInterval(() => void this.step(), minute);
    this.timer.unref();
  }

  stop(): void {
    clearInterval(this.timer);
  }

  /** Something was kept, changed or removed. */
  look(): void {
    this.dueAt = this.parts.now() + restMs;
  }

  /** Copies, where it is time. */
  async step(): Promise<void> {
    const { isBusy, mayGoOn, goOn, now } = this.parts;
    const at = now();
    if (this.dueAt === undefined || at < this.dueAt || isBusy() || !mayGoOn(new Date(at).getHours())) return;
    this.dueAt = undefined;
    const isDone = await goOn().catch(() => false);
    this.dueAt ??= now() + (isDone ? lookAgainMs : againMs);
  }
}
