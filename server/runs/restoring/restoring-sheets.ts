import type { Put, RestoringRequest } from '@keen-larder/contract/requests/restoring.ts';
import type { SetDetail } from '@keen-larder/contract/sets.ts';
import { keepsSlots } from '@keen-larder/core/boot/boot.ts';
import { dayText } from '@keen-larder/core/larder/label.ts';
import { isMakersKey } from '@keen-larder/core/phone/maker-keys.ts';
import { abilitiesOf } from '@keen-larder/core/phone/modes.ts';
import { activeSlotOf, type PartitionFacts, type PhoneFacts } from '@keen-larder/core/phone/facts.ts';
import { isNeverWritten, roleOf, type Role } from '@keen-larder/core/phone/roles.ts';
import {
  lockingSheet,
  restoringSheet,
  type RestoringFacts,
  type RestoringImage,
  type RunSheet,
} from '@keen-larder/core/runsheet/run-sheets.ts';
import { pastSpeed } from '../engine/past-speed.ts';
import type { Bench } from '../../bench/bench.ts';
import type { Forecaster, Plan } from '../../bench/forecaster.ts';
import type { PhoneStatements } from '../../database/phones.ts';
import type { PaceStatements } from '../../database/cables.ts';
import type { RunStatements } from '../../database/runs.ts';
import type { Larder } from '../../larder/larder.ts';
import { Problem } from '../../failures.ts';

/** Roles of what a start goes through; which slot starts stands in scratch space. */
const startsFrom: readonly Role[] = ['early-loader', 'boot-chain', 'system', 'scratch'];

/** Where an image goes. */
export const targetOf = ({ partition, onto }: Put): string => onto ?? partition;

/** Gathers the facts that run sheets of putting back and of locks are computed from. */
export class RestoringSheets {
  constructor(
    private readonly bench: Bench,
    private readonly larder: Larder,
    private readonly runs: RunStatements,
    private readonly paces: PaceStatements,
    private readonly phones: PhoneStatements,
    private readonly forecaster: Forecaster,
    /** Minutes east of UTC at a time, for dates in sentences. */
    private readonly utcOffsetMinutes: (at: number) => number,
  ) {}

  async restoring(serial: string, request: RestoringRequest): Promise<RunSheet> {
    const phone = this.bench.facts(serial);
    const partitions = await this.writablePartitions(serial, phone);
    const sets = new Map<string, SetDetail>();
    const setOf = (id: string) => {
      const found = sets.get(id) ?? this.larder.detail(id);
      sets.set(id, found);
      return found;
    };
    const images = request.puts.map((put) => this.imageFacts(serial, put, setOf(put.setId)));
    const [set] = sets.values();
    return restoringSheet({
      phone,
      partitions,
      images,
      activate: request.activate,
      knowsSlot: request.activate !== undefined && this.larder.ofSlot(serial, request.activate) !== undefined,
      activeSlot: activeSlotOf(phone),
      slotsAreElsewhere:
        request.activate !== undefined && (await this.keepsSlotsElsewhere(serial, phone, partitions)),
      restartAfter: request.restartAfter,
      format: request.format,
      ...(await this.outlooks(serial, request)),
      keepFirst: await this.keepFirst(serial, request, phone, partitions),
      imagingMs: sets.size === 1 && !set!.imported ? set!.elapsedMs : undefined,
      userDataKept: this.userDataKept(serial),
      ...(!request.writeAll && {
        paces: this.paces.of(serial, this.bench.link(serial).description, 'write'),
      }),
      bytesPerSecond: pastSpeed(this.bench, this.runs, serial, ['restoring', 'imaging']),
    });
  }

  async locking(serial: string, lock: boolean): Promise<RunSheet> {
    const phone = this.bench.facts(serial);
    const outlook = await this.forecaster.outlook(serial, { puts: [], locked: true });
    const { maker } = this.bench.view(serial);
    return lockingSheet({
      phone,
      lock,
      userDataKept: this.userDataKept(serial),
      lockedForecast: outlook?.forecast,
      isMakersKey: outlook?.keyDigest === undefined ? undefined : isMakersKey(maker, outlook.keyDigest),
    });
  }

  /** Of what a plan writes over: what is not known to be kept as it is now. */
  unkept(
    serial: string,
    { puts }: RestoringRequest,
    partitions: readonly PartitionFacts[],
  ): PartitionFacts[] {
    const kept = this.larder.keptDigests(serial);
    const targets = new Set(puts.map(targetOf));
    return partitions.filter(({ name, role, archive }) => {
      if (!targets.has(name) || role === 'scratch' || isNeverWritten(name)) return false;
      // Files are never compared as a whole.
      if (archive) return true;
      const digest = this.bench.presentDigest(serial, name)?.toString('hex');
      return digest === undefined || !kept.get(name)?.has(digest);
    });
  }

  /** When the phone's user data was last kept, in words. */
  private userDataKept(serial: string): string | undefined {
    const kept = this.larder.kept(serial);
    const [whole, files] = [kept.get('userdata'), kept.get('userdata-files')];
    const at = Math.max(whole ?? 0, files ?? 0);
    if (at === 0) return undefined;
    const day = `on ${dayText(new Date(at), this.utcOffsetMinutes(at))}`;
    return at === whole ? day : `${day}, without photos and downloads`;
  }

  private imageFacts(serial: string, put: Put, set: SetDetail): RestoringImage {
    const image = set.images.find(({ partition }) => partition === put.partition);
    if (!image) throw new Problem(404, `“${set.label}” has no image of ${put.partition}.`);
    const onto = targetOf(put);
    const wipedAt = this.phones.one(serial)?.wipedAt ?? null;
    const isIdentity = roleOf(onto) === 'identity' || roleOf(put.partition) === 'identity';
    return {
      partition: put.partition,
      onto,
      role: roleOf(onto),
      bytes: image.bytes,
      damaged: image.damage !== undefined,
      isIncomplete: image.unsettled !== undefined,
      kind: image.kind,
      isThere:
        image.ranges === undefined &&
        this.bench.presentDigest(serial, onto)?.toString('hex') === image.sha256,
      ...(isIdentity && { identity: this.larder.identityOrigin(set.id, put.partition, serial) }),
      set: {
        setId: set.id,
        serial: set.serial,
        isImported: set.imported,
        isFirmware: set.firmware,
        // Firmware that came as files says itself what it is for.
        maker: set.condition.product?.maker ?? set.maker,
        model: set.condition.product?.model ?? set.model,
        androidVersion: set.condition.androidVersion,
        package: set.condition.package,
        isEncrypted: set.condition.encrypted,
        keyIsGone: wipedAt !== null && set.serial === serial && wipedAt > set.createdAt,
        partitions: set.images.filter(({ kind }) => kind === 'block').map(({ partition }) => partition),
      },
    };
  }

  /** In a mode that would switch them by writing `misc`. */
  private async keepsSlotsElsewhere(
    serial: string,
    { mode }: PhoneFacts,
    partitions: readonly PartitionFacts[],
  ): Promise<boolean> {
    const misc = partitions.find(({ name }) => name === 'misc');
    if (mode === 'bootloader' || !misc) return false;
    const source = this.bench.access(serial).source('misc', misc.bytes);
    // One that cannot be read is told of elsewhere.
    return !(await keepsSlots(source).catch(() => true));
  }

  /** Worth asking where something is picked that a start goes through. */
  private async outlooks(serial: string, plan: Plan): Promise<Pick<RestoringFacts, 'forecast' | 'rollback'>> {
    const puts = plan.puts.filter((put) => startsFrom.includes(roleOf(targetOf(put))));
    if (puts.length === 0 && !plan.activate) return {};
    const now = await this.forecaster.outlook(serial);
    const after = now && (await this.forecaster.outlook(serial, { puts, activate: plan.activate }));
    if (!now || !after) return {};
    return {
      forecast: { now: now.forecast, after: after.forecast },
      rollback: [...after.rollback].flatMap(([location, index]) => {
        const before = now.rollback.get(location);
        return before === undefined ? [] : [{ location, now: before, after: index }];
      }),
    };
  }

  private async keepFirst(
    serial: string,
    request: RestoringRequest,
    { mode, root }: PhoneFacts,
    partitions: readonly PartitionFacts[],
  ): Promise<RestoringFacts['keepFirst']> {
    return {
      isWanted: request.keepFirst ?? false,
      partitions: this.unkept(serial, request, partitions),
      freeBytes: (await this.larder.shelf.space()).freeBytes,
      bytesPerSecond: pastSpeed(this.bench, this.runs, serial, ['imaging']),
      canRead: abilitiesOf(mode, root).read,
    };
  }

  private async writablePartitions(serial: string, { mode, root }: PhoneFacts) {
    if (abilitiesOf(mode, root).read) return this.bench.partitions(serial);
    return (await this.bench.link(serial).flashing?.list()) ?? [];
  }
}
