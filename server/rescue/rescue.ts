import type { ReachView, RepairView, RescueView } from '@keen-larder/contract/rescue.ts';
import type { SetDetail, SetView } from '@keen-larder/contract/sets.ts';
import { isSameModel } from '@keen-larder/core/larder/firmware.ts';
import { activeSlotOf, type PartitionFacts, type PhoneFacts } from '@keen-larder/core/phone/facts.ts';
import { abilitiesOf, modeUse, modesToReach, type PhoneMode } from '@keen-larder/core/phone/modes.ts';
import { roleOf } from '@keen-larder/core/phone/roles.ts';
import {
  diagnose,
  promiseOf,
  repairsOf,
  type DiagnosisFacts,
  type GoodSet,
  type Repair,
} from '@keen-larder/core/rescue/rescue.ts';
import type { Bench } from '../bench/bench.ts';
import type { Forecaster } from '../bench/forecaster.ts';
import type { UnfinishedStatements } from '../database/unfinished.ts';
import { imageSource } from '../larder/inside/image-source.ts';
import type { Larder } from '../larder/larder.ts';
import { halfWritten } from '../runs/restoring/writing-journal.ts';
import { DamagedImage, Problem, PhoneFailure } from '../failures.ts';

/** So much of an identity partition tells whether anything is in it. */
const headBytes = 64 << 10;

/** Says what is wrong with a phone and which of the larder's images would mend it, from the smallest repair up. */
export class Rescue {
  constructor(
    private readonly bench: Bench,
    private readonly larder: Larder,
    private readonly forecaster: Forecaster,
    private readonly unfinished: UnfinishedStatements,
  ) {}

  /** @throws Problem 404 when the phone was never seen, 409 while a run works on it */
  async view(serial: string): Promise<RescueView> {
    const { bench } = this;
    // What a run reads and writes is not to wait for what somebody looks at.
    if (bench.runOf(serial)) {
      throw new Problem(
        409,
        'A run is under way on this phone. What is wrong with it is looked at when that has ended.',
      );
    }
    const phone = bench.view(serial);
    const facts = phone.presence === 'here' ? phone.facts : undefined;
    const sets = this.goodSets(serial);
    const half = [...halfWritten(this.unfinished, serial).keys()];
    const [newest] = sets;
    const lostIdentity = facts ? await this.lostIdentity(serial, sets) : [];
    const diagnosis: DiagnosisFacts = {
      presence: phone.presence,
      phone: facts,
      maker: phone.maker,
      model: phone.model,
      forecast: facts && (await this.forecaster.forecast(serial)),
      keptSlot: newest?.condition.slot,
      lostIdentity,
      halfWritten: half,
    };
    const findings = diagnose(diagnosis);
    const repairs = repairsOf({
      findings,
      sets: sets.map((set) => this.goodSet(set)),
      partitions: facts ? await this.partitionNames(serial, facts) : [],
      activeSlot: facts && activeSlotOf(facts),
      lostIdentity,
      halfWritten: half,
    });
    return {
      serial,
      findings,
      reach: reachOf(
        phone.keys,
        facts,
        bench.wroteIn(serial),
        (facts ?? phone.facts ?? newest)?.condition.bootloaderUnlocked === false,
      ),
      repairs: await this.judged(serial, repairs, { findings, lostIdentity, halfWritten: half }, phone.model),
      sets: sets.map(({ id, label, createdAt, verifiedAt }) => ({ id, label, createdAt, verifiedAt })),
    };
  }

  /** Every repair with what would come of it, as long as the phone's bytes can be laid under it. */
  private async judged(
    serial: string,
    repairs: readonly Repair[],
    faults: Parameters<typeof promiseOf>[2],
    model: string,
  ): Promise<RepairView[]> {
    const found: RepairView[] = [];
    const isFaulty = faults.findings.some(({ severity, id }) => severity === 'fault' || id === 'not-judged');
    const canRead = this.bench.linkIn(serial)?.partitions !== undefined;
    for (const repair of repairs) {
      const set = repair.setId === undefined ? undefined : this.larder.detail(repair.setId);
      const puts = repair.partitions.map((partition) => ({ setId: repair.setId!, partition }));
      const images = (set?.images ?? []).filter(({ partition }) => repair.partitions.includes(partition));
      const forecast = canRead
        ? await this.forecaster.forecast(serial, { puts, activate: repair.activate })
        : undefined;
      const outcome = promiseOf(repair, forecast, faults, model);
      found.push({
        id: repair.id,
        title: repair.title,
        sentence: repair.sentence,
        label: set?.label,
        puts,
        images: images.map(({ partition, role, bytes }) => ({ partition, role, bytes })),
        ...(repair.activate && { activate: repair.activate }),
        bytes: images.reduce((sum, { bytes }) => sum + bytes, 0),
        wipes: images.some(({ role }) => role === 'user-data'),
        outcome,
        forecast,
        isSmallest: isFaulty && outcome !== 'does-not' && !found.some((each) => each.outcome !== 'does-not'),
      });
    }
    return found;
  }

  /**
   * Complete, not damaged, and not of another model by what their own images say: the phone's own, then firmware of its
   * model.
   */
  private goodSets(serial: string): SetDetail[] {
    const phone = this.bench.view(serial);
    const isAlike = (set: SetView) =>
      isSameModel(set.condition.product ?? phone, phone) &&
      (set.serial === serial || (set.firmware && isSameModel(set, phone)));
    const good = this.larder
      .list()
      .filter((set) => set.complete && !set.damaged && set.binnedAt === undefined && isAlike(set));
    return [...good.filter(({ firmware }) => !firmware), ...good.filter(({ firmware }) => firmware)].map(
      ({ id }) => this.larder.detail(id),
    );
  }

  private goodSet({ id, label, condition, images, firmware }: SetDetail): GoodSet {
    const isEmpty = (partition: string) =>
      this.larder.image(id, partition).chunks.every((byte) => byte === 0);
    return {
      setId: id,
      label,
      slot: condition.slot,
      images: images
        // What firmware has of these would wipe the phone, or is no phone's.
        .filter(
          ({ kind, role }) =>
            kind === 'block' && !(firmware && (role === 'user-data' || role === 'identity')),
        )
        .map(({ partition, role, bytes }) => ({
          partition,
          role,
          bytes,
          isEmpty: role === 'identity' && isEmpty(partition),
        })),
    };
  }

  /** Identity partitions that are empty, though the larder has one that is not. */
  private async lostIdentity(serial: string, sets: readonly SetDetail[]): Promise<string[]> {
    const access = this.bench.linkIn(serial)?.partitions;
    if (!access) return [];
    const lost: string[] = [];
    try {
      for (const { name, bytes } of await this.bench.partitions(serial)) {
        if (roleOf(name) !== 'identity') continue;
        const set = sets.find(({ images }) => images.some(({ partition }) => partition === name));
        if (!set) continue;
        const kept = await imageSource(this.larder.shelf, this.larder.image(set.id, name)).read(0, headBytes);
        if (isBlank(kept)) continue;
        if (isBlank(await access.source(name, bytes).read(0, Math.min(headBytes, bytes)))) lost.push(name);
      }
    } catch (error) {
      if (!(error instanceof PhoneFailure || error instanceof DamagedImage)) throw error;
    }
    return lost;
  }

  private async partitionNames(serial: string, { mode, root }: PhoneFacts): Promise<string[]> {
    const link = this.bench.link(serial);
    const list: readonly PartitionFacts[] = abilitiesOf(mode, root).read
      ? await this.bench.partitions(serial)
      : ((await link.flashing?.list()) ?? this.bench.knownPartitions(serial));
    return list.map(({ name }) => name);
  }
}

/** Flash that was erased reads as zeros or as ones. */
const isBlank = (bytes: Uint8Array) =>
  bytes.every((byte) => byte === 0) || bytes.every((byte) => byte === 0xff);

function reachOf(
  keys: Readonly<Partial<Record<PhoneMode, string>>>,
  facts: PhoneFacts | undefined,
  wroteIn: readonly PhoneMode[],
  isLocked: boolean,
): ReachView[] {
  const rank = (mode: PhoneMode) => (facts?.mode === mode ? 0 : wroteIn.includes(mode) ? 1 : 2);
  const modes = modesToReach(isLocked).toSorted((a, b) => rank(a) - rank(b));
  return modes.flatMap((mode): ReachView[] => {
    const isHere = facts?.mode === mode;
    if (!keys[mode] && !isHere) return [];
    const canWrite = isHere
      ? abilitiesOf(mode, facts.root).write &&
        !(mode === 'bootloader' && facts.condition.bootloaderUnlocked === false)
      : wroteIn.includes(mode);
    return [
      {
        mode,
        state: isHere ? 'here' : wroteIn.includes(mode) ? 'known' : 'untried',
        use: modeUse(mode, isLocked),
        keys: keys[mode],
        canWrite,
      },
    ];
  });
}
