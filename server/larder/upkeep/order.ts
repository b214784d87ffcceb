import type { OrderRoom, OrderView } from '@keen-larder/contract/order.ts';
import type { KeepRulesChange } from '@keen-larder/contract/requests/larder/order.ts';
import {
  reasonText,
  ruleOn,
  usualKeepRules,
  type KeepRules,
  type RuledSet,
} from '@keen-larder/core/larder/keep-rules.ts';
import type { SetView } from '@keen-larder/contract/sets.ts';
import type { KeepRuleStatements } from '../../database/upkeep/keep-rules.ts';
import type { JobStatements } from '../../database/jobs/jobs.ts';
import type { SetStatements } from '../../database/sets.ts';
import { Problem } from '../../failures.ts';
import { digestsOf } from '../../shelf/manifest.ts';
import type { Shelf } from '../../shelf/shelf.ts';
import type { Larder } from '../larder.ts';

interface ChunkLists {
  chunkLists(): Iterable<{ readonly chunks: Buffer }>;
}

interface OrderParts {
  readonly larder: Larder;
  readonly shelf: Shelf;
  readonly sets: SetStatements;
  readonly unfinished: ChunkLists;
  readonly copies: ChunkLists;
  readonly rules: KeepRuleStatements;
  readonly jobs: Pick<JobStatements, 'openPhones'>;
  readonly now: () => number;
}

/** Which sets stay by the rules and which would go; nothing goes but into the bin, and only what was shown. */
export class Order {
  constructor(private readonly parts: OrderParts) {}

  view(): OrderView {
    const { larder, rules } = this.parts;
    const exceptions = rules
      .all()
      .filter(({ serial }) => serial !== '')
      .map(({ serial, newest, months }) => ({
        serial,
        nickname: larder.phone(serial)?.nickname ?? serial,
        rules: { newest, months },
      }));
    const sets = this.ruled().map(({ set, reasons }) => ({
      id: set.id,
      label: set.label,
      serial: set.serial,
      nickname: set.nickname,
      createdAt: set.createdAt,
      bytes: set.bytes,
      pinned: set.pinned,
      reasons,
    }));
    return { rules: this.rulesOf(''), exceptions, sets };
  }

  /** Changes the rules of all phones, or of one; without any, one goes by those of all again. @throws Problem 404 */
  change({ serial = '', rules }: KeepRulesChange): OrderView {
    const { larder, rules: statements } = this.parts;
    if (serial !== '' && !larder.phone(serial))
      throw new Problem(404, `The larder knows no phone ${serial}.`);
    if (rules) statements.save({ serial, newest: rules.newest, months: rules.months });
    else statements.remove(serial);
    larder.changed();
    return this.view();
  }

  /**
   * Puts sets into the bin that the rules let go.
   * @throws Problem 409 naming one that stays by now; nothing goes then
   */
  async apply(ids: readonly string[]): Promise<void> {
    const { larder } = this.parts;
    const ruled = new Map(this.ruled().map((each) => [each.set.id, each]));
    for (const id of ids) {
      const found = ruled.get(id);
      if (!found)
        throw new Problem(409, 'A set that was to go is not there any more. Look at the order again.');
      if (found.reasons.length === 0) continue;
      const why = found.reasons.join(', ');
      throw new Problem(409, `“${found.set.label}” stays by now: ${why}. Look at the order again.`);
    }
    for (const id of ids) await larder.change(id, { binned: true });
  }

  /** How much would come free: chunks that only sets need which would go. */
  room(): OrderRoom {
    const { larder, shelf, sets, copies, unfinished } = this.parts;
    const going = new Set(this.ruled().flatMap(({ set, reasons }) => (reasons.length === 0 ? [set.id] : [])));
    const alone = new Map<string, Buffer>();
    for (const id of going)
      for (const { partition } of sets.heads(id))
        for (const digest of digestsOf(larder.image(id, partition).chunks))
          if (digest) alone.set(digest.toString('latin1'), digest);
    const keep = ({ chunks }: { readonly chunks: Buffer }) => {
      for (const digest of digestsOf(chunks)) if (digest) alone.delete(digest.toString('latin1'));
    };
    if (alone.size > 0) {
      for (const { id } of sets.all())
        if (!going.has(id)) for (const { partition } of sets.heads(id)) keep(larder.image(id, partition));
      for (const each of [copies, unfinished]) for (const list of each.chunkLists()) keep(list);
    }
    let bytes = 0;
    for (const digest of alone.values()) bytes += shelf.find(digest)?.storedBytes ?? 0;
    return { bytes };
  }

  private rulesOf(serial: string): KeepRules {
    const all = this.parts.rules.all();
    const found = all.find((each) => each.serial === serial) ?? all.find((each) => each.serial === '');
    return found ? { newest: found.newest, months: found.months } : usualKeepRules;
  }

  private ruled(): { readonly set: SetView; readonly reasons: readonly string[] }[] {
    const { larder, now } = this.parts;
    const sets = larder.list().filter(({ binnedAt }) => binnedAt === undefined);
    const onCards = this.parts.jobs.openPhones();
    const rulings = ruleOn(
      sets.map((set) => this.asRuled(set, onCards.get(set.serial))),
      (serial) => this.rulesOf(serial),
      now(),
    );
    return rulings.map(({ reasons }, i) => ({ set: sets[i]!, reasons: reasons.map(reasonText) }));
  }

  private asRuled(set: SetView, jobNumber: number | undefined): RuledSet {
    const { larder } = this.parts;
    return {
      id: set.id,
      serial: set.serial,
      createdAt: set.createdAt,
      isSound: set.complete && !set.damaged,
      isPinned: set.pinned,
      isImported: set.imported,
      verifiedAt: set.verifiedAt,
      identity: this.parts.sets
        .heads(set.id)
        .filter(({ role, unsettled, damage }) => role === 'identity' && unsettled === null && damage === null)
        .map(({ partition }) => partition),
      jobNumber,
      whyInUse: larder.bin.whyInUse(set.id),
    };
  }
}
