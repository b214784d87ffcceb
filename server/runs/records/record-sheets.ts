import type { KeepingRecordsRequest, PuttingRecordsRequest } from '@keen-larder/contract/requests/records.ts';
import {
  expectedBytesPerSecond,
  isHanded,
  keepingRecordsSheet,
  puttingRecordsSheet,
  type RecordsThere,
  type RunSheet,
} from '@keen-larder/core/runsheet/run-sheets.ts';
import type { Bench } from '../../bench/bench.ts';
import type { Larder } from '../../larder/larder.ts';
import { kindsProvided } from '../../records/provided-records.ts';
import { findRecords } from '../../records/phone-records.ts';

/** What a provider tells of one kind, about. */
const usualProvidedBytes = 1 << 20;

/** Gathers the facts that the run sheets of personal records are computed from. */
export class RecordSheets {
  constructor(
    private readonly bench: Bench,
    private readonly larder: Larder,
  ) {}

  async keeping(serial: string, { kinds }: KeepingRecordsRequest): Promise<RunSheet> {
    return keepingRecordsSheet({
      phone: this.bench.facts(serial),
      there: await this.there(serial),
      picked: kinds,
      shelf: await this.larder.shelf.space(),
      bytesPerSecond: expectedBytesPerSecond([]),
    });
  }

  async putting(serial: string, { copies }: PuttingRecordsRequest): Promise<RunSheet> {
    return puttingRecordsSheet({
      phone: this.bench.facts(serial),
      sdk: await this.bench.link(serial).appWork?.sdk(),
      there: await this.there(serial),
      picked: copies.map((id) => {
        const copy = this.larder.records.one(id);
        // What is handed over is what can be read.
        const wanted = isHanded(copy, this.bench.facts(serial)) ? 'readable' : 'raw';
        const raw = copy.parts.filter(({ kind }) => kind === wanted);
        return {
          copyId: id,
          serial: copy.serial,
          records: copy.records,
          bytes: raw.reduce((sum, { bytes }) => sum + bytes, 0),
        };
      }),
      bytesPerSecond: expectedBytesPerSecond([]),
    });
  }

  private async there(serial: string): Promise<RecordsThere[]> {
    const { files, providers, mode } = this.bench.link(serial);
    if (providers)
      return kindsProvided.map((kind) => ({
        kind,
        bytes: usualProvidedBytes,
        count: undefined,
        isPartial: true,
      }));
    if (!files || mode !== 'system') return [];
    return (await findRecords(files)).map(({ kind, bytes }) => ({ kind, bytes, count: undefined }));
  }
}
