import type { ImagingRequest, RestoringRequest } from '@keen-larder/contract/requests.ts';
import { dayText } from '@keen-larder/core/larder/label.ts';
import { abilitiesOf } from '@keen-larder/core/phone/modes.ts';
import type { PhoneFacts } from '@keen-larder/core/phone/facts.ts';
import { roleOf, type Role } from '@keen-larder/core/phone/roles.ts';
import {
  expectedBytesPerSecond,
  imagingSheet,
  restoringSheet,
  type RunSheet,
} from '@keen-larder/core/runsheet/index.ts';
import type { Bench } from '../bench/bench.ts';
import type { Forecaster } from '../bench/forecaster.ts';
import type { RunStatements } from '../database/runs.ts';
import type { Larder } from '../larder/larder.ts';

/** Roles of what a start goes through; which slot starts stands in scratch space. */
const startsFrom: readonly Role[] = ['early-loader', 'boot-chain', 'system', 'scratch'];

/** Gathers the facts that run sheets are computed from. */
export class Sheets {
  constructor(
    private readonly bench: Bench,
    private readonly larder: Larder,
    private readonly runs: RunStatements,
    private readonly forecaster: Forecaster,
    /** Minutes east of UTC at a time, for dates in sentences. */
    private readonly utcOffsetMinutes: (at: number) => number,
  ) {}

  async imaging(
    serial: string,
    { picked, label, restartInto, usedOnly, readAll }: ImagingRequest,
  ): Promise<RunSheet> {
    const phone = this.bench.facts(serial);
    const kept = this.larder.kept(serial);
    const partitions = abilitiesOf(phone.mode, phone.root).read ? await this.bench.partitions(serial) : [];
    return imagingSheet({
      phone,
      partitions,
      picked,
      label,
      ...(restartInto && { restartInto }),
      ...(usedOnly && { usedOnly }),
      ...(readAll && { readAll }),
      larder: {
        labels: this.larder.labels(serial),
        identityKept: [...kept.keys()].filter((name) => roleOf(name) === 'identity'),
        kept: [...kept.keys()],
        keptWhole: this.larder.keptWhole(serial, partitions),
      },
      shelf: await this.larder.shelf.space(),
      bytesPerSecond: this.speed('imaging', serial),
    });
  }

  async restoring(setId: string, { serial, picked, restartAfter }: RestoringRequest): Promise<RunSheet> {
    const phone = this.bench.facts(serial);
    const set = this.larder.detail(setId);
    const userDataKeptAt = this.larder.kept(serial).get('userdata');
    return restoringSheet({
      phone,
      partitions: await this.writablePartitions(serial, phone),
      set: {
        ...set,
        images: set.images.map((image) => ({
          ...image,
          damaged: image.damage !== undefined,
          isIncomplete: image.unsettled !== undefined,
        })),
      },
      picked,
      restartAfter,
      forecast: await this.forecast(serial, setId, picked),
      userDataKept:
        userDataKeptAt === undefined
          ? undefined
          : `on ${dayText(new Date(userDataKeptAt), this.utcOffsetMinutes(userDataKeptAt))}`,
      bytesPerSecond: this.speed('restoring', serial),
    });
  }

  /** Worth asking where something is picked that a start goes through. */
  private async forecast(serial: string, setId: string, picked: readonly string[]) {
    const starting = picked.filter((name) => startsFrom.includes(roleOf(name)));
    if (starting.length === 0) return undefined;
    const now = await this.forecaster.forecast(serial);
    const after = now && (await this.forecaster.forecast(serial, { setId, picked: starting }));
    return now && after && { now, after };
  }

  private async writablePartitions(serial: string, { mode, root }: PhoneFacts) {
    if (abilitiesOf(mode, root).read) return this.bench.partitions(serial);
    return (await this.bench.link(serial).flashing?.list()) ?? [];
  }

  /** Learned from past runs of the same phone, mode and link; restoring may learn from imaging. */
  private speed(kind: 'imaging' | 'restoring', serial: string): number {
    const { mode } = this.bench.facts(serial);
    const past = (of: 'imaging' | 'restoring') =>
      this.runs.transfers(of, serial, mode, this.bench.link(serial).kind);
    const own = past(kind);
    return expectedBytesPerSecond(own.length > 0 ? own : past('imaging'));
  }
}
