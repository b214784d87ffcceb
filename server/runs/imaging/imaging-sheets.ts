import type { ImagingRequest } from '@keen-larder/contract/requests/imaging.ts';
import { roleOf } from '@keen-larder/core/phone/roles.ts';
import { imagingSheet, type RunSheet } from '@keen-larder/core/runsheet/run-sheets.ts';
import type { Bench } from '../../bench/bench.ts';
import type { PaceStatements } from '../../database/cables.ts';
import type { RunStatements } from '../../database/runs.ts';
import type { Larder } from '../../larder/larder.ts';
import { pastSpeed } from '../engine/past-speed.ts';

/** Gathers the facts that run sheets of imaging are computed from. */
export class ImagingSheets {
  constructor(
    private readonly bench: Bench,
    private readonly larder: Larder,
    private readonly runs: RunStatements,
    private readonly paces: PaceStatements,
  ) {}

  /** @param reserved mark of the label, where it is kept for this run already */
  async imaging(
    serial: string,
    { picked, label, restartInto, usedOnly, readAll }: ImagingRequest,
    reserved?: symbol,
  ): Promise<RunSheet> {
    const phone = this.bench.facts(serial);
    const kept = this.larder.kept(serial);
    const partitions = phone.mode !== 'bootloader' ? await this.bench.imageable(serial) : [];
    return imagingSheet({
      phone,
      partitions,
      picked,
      label,
      ...(restartInto && { restartInto }),
      ...(usedOnly && { usedOnly }),
      ...(readAll && { readAll }),
      larder: {
        labels: this.larder.labels(serial, reserved),
        identityKept: [...kept.keys()].filter((name) => roleOf(name) === 'identity'),
        kept: [...kept.keys()],
        keptWhole: this.larder.keptWhole(serial, partitions),
      },
      shelf: await this.larder.shelf.space(),
      paces: this.paces.of(serial, this.bench.link(serial).description, 'read'),
      bytesPerSecond: pastSpeed(this.bench, this.runs, serial, ['imaging']),
    });
  }
}
