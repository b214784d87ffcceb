import { randomUUID } from 'node:crypto';
import { stat } from 'node:fs/promises';
import { basename, join, resolve } from 'node:path';
import pino from 'pino';
import { listText, obstacles } from '@keen-larder/core/runsheet/run-sheets.ts';
import { planImport } from '@keen-larder/core/larder/import-plan.ts';
import { isOwnerOfFirmware, ownerOfFirmware } from '@keen-larder/core/larder/firmware.ts';
import { nextFreeLabel } from '@keen-larder/core/larder/label.ts';
import type { ImportingRequest } from '@keen-larder/contract/requests/imports.ts';
import { openBatch } from '@keen-larder/server/imports/batch.ts';
import { openKeenLarder } from '@keen-larder/server/keen-larder.ts';
import { sealSecretOf } from '@keen-larder/server/shelf/shelf-seal.ts';
import {
  importSheet,
  knownPartitions,
  partitionsOfModel,
  startImporting,
} from '@keen-larder/server/runs/files/importing.ts';
import { complain, say } from './output.ts';

export interface ImportOptions {
  readonly home: string;
  /** Serial of the phone that the images are of. */
  readonly phone?: string;
  readonly maker?: string;
  readonly model?: string;
  /** It is firmware, of a model and not of one phone. */
  readonly firmware?: boolean;
  readonly label?: string;
  /** Partition by file, where its name does not tell. */
  readonly as: Readonly<Record<string, string>>;
  /** Ids of the checks that are confirmed. */
  readonly confirm: readonly string[];
}

/** Keeps a file, or a folder of files, as a set; the files stay where they are. Resolves to an exit code. */
export async function importFiles(path: string, options: ImportOptions): Promise<number> {
  try {
    await stat(path);
  } catch (error) {
    complain(`${path} cannot be opened: ${(error as Error).message}`);
    return 2;
  }
  const app = await openKeenLarder({
    ...sealSecretOf(process.env),
    home: options.home,
    addresses: [],
    log: pino({ level: 'silent' }),
  });
  const id = basename(resolve(path));
  try {
    const batch = await openBatch(id, resolve(path), join(options.home, 'imports-unpacked', randomUUID()));
    try {
      const listed = batch.contents?.phone;
      const isFirmware =
        options.firmware ?? (listed !== undefined && !options.phone && isOwnerOfFirmware(listed.serial));
      const serial = isFirmware ? '' : (options.phone ?? listed?.serial ?? '');
      const phone = { maker: options.maker ?? listed?.maker, model: options.model ?? listed?.model };
      const firmwareOf =
        isFirmware && phone.maker && phone.model ? { maker: phone.maker, model: phone.model } : undefined;
      if (isFirmware && !firmwareOf) {
        complain('Firmware is of a model: say which with --maker and --model.');
        return 2;
      }
      const known = firmwareOf ? partitionsOfModel(app, firmwareOf) : knownPartitions(app, serial);
      const planned = planImport(batch.files, known, batch.contents);
      const choices: ImportingRequest['choices'] = [];
      for (const { paths, layers, partition: found, fault, notes } of planned) {
        const [first] = paths as [string];
        const partition = options.as[first] ?? options.as[basename(first)] ?? found;
        say(
          `${first}: ${fault ?? layers.join(' > ')}${partition && !fault ? `, as ${partition}` : ', left out'}`,
        );
        for (const note of notes) say(`  ${note}`);
        if (partition && !fault) choices.push({ path: first, partition });
      }
      const label = nextFreeLabel(
        options.label ?? batch.contents?.label ?? `Imported · ${id}`,
        app.larder.labels(firmwareOf ? ownerOfFirmware(firmwareOf).serial : serial),
      );
      const request: ImportingRequest = {
        choices,
        label,
        serial,
        ...(firmwareOf && { firmwareOf }),
        ...(phone.maker &&
          phone.model && {
            phone: { maker: phone.maker, model: phone.model, nickname: listed?.nickname ?? phone.model },
          }),
      };
      const inTheWay = obstacles(await importSheet(app, batch, request), options.confirm);
      for (const check of inTheWay) {
        const how = check.severity === 'confirm' ? ` (--confirm ${check.id} accepts it)` : '';
        complain(`${check.title}: ${check.sentence}${how}`);
      }
      if (inTheWay.length > 0) return 1;
      const { id: runId } = await startImporting(
        app,
        batch,
        { ...request, confirmed: [...options.confirm] },
        () => Promise.resolve('The files stay where they are.'),
      );
      const { state, outcome, setId } = await app.engine.ended(runId);
      if (state !== 'done' && state !== 'incomplete') {
        complain(outcome ?? 'It did not succeed.');
        return 1;
      }
      say(`${setId}  ${label}`);
      say(`  ${listText(choices.map(({ partition }) => partition))}. ${outcome}`);
      return state === 'done' ? 0 : 1;
    } finally {
      await batch.close();
    }
  } finally {
    await app.close();
  }
}
