import type { Presence } from '@keen-larder/contract/bench.ts';
import type { PhoneFacts } from '@keen-larder/core/phone/facts.ts';
import { abilitiesOf, type PhoneMode } from '@keen-larder/core/phone/modes.ts';
import type { PhoneLink } from '../links/phone-link.ts';

/** So many starts in a row that were broken off make a boot loop. */
const loopingStarts = 2;

/** What the bench knows of one phone's comings and goings. */
export class PhoneRecord {
  link: PhoneLink | undefined;
  goneAt: number | undefined;
  /** When the present link came up: what was found before may have changed since. */
  upSince = 0;
  expected: { readonly mode: PhoneMode; readonly overdueAt: number } | undefined;
  /** Modes in which it came up and could be written. */
  readonly writable = new Set<PhoneMode>();
  private told: PhoneFacts | undefined;
  private brokenStarts = 0;
  private brokenMode: PhoneMode | undefined;
  private systemFailed = false;

  constructor(readonly serial: string) {}

  /** What the phone told, and whether its system was seen not to start. */
  get facts(): PhoneFacts | undefined {
    return this.told && this.systemFailed
      ? { ...this.told, condition: { ...this.told.condition, starts: false } }
      : this.told;
  }

  set facts(told: PhoneFacts | undefined) {
    this.told = told;
  }

  /** Since when it has been here with root. */
  get rootedSince(): number | undefined {
    return this.told?.root ? this.upSince : undefined;
  }

  /** A link came up. @param ready the mode has come up entirely */
  arrived(now: number, link: PhoneLink, facts: PhoneFacts, ready: boolean): void {
    const failed = this.brokenStarts >= loopingStarts ? this.brokenMode : this.overdueMode(now);
    if (failed === 'system') this.systemFailed = true;
    this.upSince = now;
    this.link = link;
    this.facts = facts;
    const { mode, root, condition } = facts;
    const isLocked = mode === 'bootloader' && condition.bootloaderUnlocked === false;
    if (abilitiesOf(mode, root).write && !isLocked) this.writable.add(mode);
    this.goneAt = undefined;
    if (ready) this.settled();
  }

  /** The phone has started: whatever was odd before is over. */
  settled(): void {
    if (this.told?.mode === 'system') this.systemFailed = false;
    this.brokenStarts = 0;
    this.expected = undefined;
  }

  left(now: number, wasReady: boolean): void {
    if (!wasReady) {
      this.brokenStarts++;
      this.brokenMode = this.told?.mode;
    }
    this.link = undefined;
    this.goneAt = now;
  }

  /** The mode that it was to come up in, and did not in time. */
  private overdueMode(now: number): PhoneMode | undefined {
    return this.expected && now >= this.expected.overdueAt ? this.expected.mode : undefined;
  }

  presence(now: number): Presence {
    if (this.brokenStarts >= loopingStarts) return 'looping';
    if (this.link) return 'here';
    if (!this.expected) return 'away';
    return this.overdueMode(now) ? 'looping' : 'restarting';
  }
}
