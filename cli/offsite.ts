import { resolve } from 'node:path';
import pino from 'pino';
import type { OffsiteCopy } from '@keen-larder/contract/larder/offsite.ts';
import type { OffsiteStart } from '@keen-larder/contract/requests/larder/offsite.ts';
import { openKeenLarder, type KeenLarder } from '@keen-larder/server/keen-larder.ts';
import type { OffsiteManifest } from '@keen-larder/server/offsite/bucket-state.ts';
import { copiesIn } from '@keen-larder/server/offsite/offsite-file.ts';
import type { Offsite } from '@keen-larder/server/offsite/offsite.ts';
import {
  copyNames,
  startCopyingOffSite,
  startFetching,
} from '@keen-larder/server/runs/files/copying-off-site.ts';
import { startMoving } from '@keen-larder/server/runs/files/moving.ts';
import { sealSecretOf } from '@keen-larder/server/shelf/shelf-seal.ts';
import { find } from './larder-commands.ts';
import { complain, say } from './output.ts';
import { secretFrom } from './passphrase.ts';

export interface OffsiteOptions {
  readonly home: string;
  readonly json?: boolean;
  /** Which of two copies; left out where there is one. */
  readonly copy?: OffsiteCopy;
}

export interface OffsiteRestoreOptions extends OffsiteOptions {
  readonly endpoint?: string;
  readonly region: string;
  readonly bucket?: string;
  readonly folder?: string;
  readonly prefix: string;
  readonly set?: string;
}

/** Says how the copy stands, by what the bucket has now. @returns 0 where all of the larder is in it, 1 where not */
export async function offsiteStatus(options: OffsiteOptions): Promise<number> {
  const { json = false } = options;
  return withOffsite(options, async (_app, copy) => {
    const missing = await copy.missing();
    const view = copy.view();
    if (json)
      say(
        JSON.stringify(
          { ...view, missing: missing.map(({ kind, id, name }) => ({ kind, id, name })) },
          null,
          2,
        ),
      );
    else {
      say(`${view.place}: ${view.offsiteCount} of ${view.keptCount} sets and copies are there`);
      for (const { name } of missing) say(`not there: ${name}`);
      for (const { label, nickname } of view.alone) say(`there alone: “${label}” (${nickname})`);
    }
    return missing.length === 0 ? 0 : 1;
  });
}

/** Sends what is missing. @returns 0 where all of the larder is there, 1 where not */
export async function offsiteSync(options: OffsiteOptions): Promise<number> {
  return withOffsite(options, async (app, copy) => {
    const { id } = await startCopyingOffSite(app, copy.copy);
    return ended(app, copy, id, options.json ?? false);
  });
}

/** Moves sets, by id or name, into the copy: they lie there alone afterwards. */
export async function offsiteMove(sets: readonly string[], options: OffsiteOptions): Promise<number> {
  return withOffsite(options, async (app, copy) => {
    const found = sets.map((set) => find(app.larder, set)?.[0]?.id);
    if (found.includes(undefined)) return 2;
    const { id } = await startMoving(app, copy.copy, found as string[]);
    return ended(app, copy, id, options.json ?? false);
  });
}

/** Fetches what the larder does not have: all of it, or one set, also into a home folder that is empty. */
export async function offsiteRestore(options: OffsiteRestoreOptions): Promise<number> {
  const { json = false, set } = options;
  return withOffsite(
    options,
    async (app, copy) => {
      const there = await copy.elsewhere();
      const wanted =
        set === undefined ? there : there.filter(({ id, name }) => id === set || name === `“${set}”`);
      if (wanted.length === 0) {
        if (set === undefined) {
          say('Everything in the bucket is in the larder already.');
          return 0;
        }
        complain(`The bucket has no set “${set}” that the larder does not have.`);
        return 2;
      }
      const things: OffsiteManifest[] = wanted.map(({ bench, kind, id }) => ({ bench, kind, id }));
      const { id } = await startFetching(app, copy.copy, things);
      return ended(app, copy, id, json);
    },
    options,
  );
}

async function ended(app: KeenLarder, copy: Offsite, id: string, json: boolean): Promise<number> {
  const run = await app.engine.ended(id);
  if (json) say(JSON.stringify({ run, offsite: copy.view() }, null, 2));
  else {
    for (const { text, level } of app.engine.logOf(id)) if (level !== 'info') complain(text);
    (run.state === 'done' ? say : complain)(run.outcome ?? run.state);
  }
  return run.state === 'done' ? 0 : 1;
}

/** @param start where a copy is to be taken into use first */
async function withOffsite(
  { home, copy }: OffsiteOptions,
  work: (app: KeenLarder, copy: Offsite) => Promise<number>,
  start?: OffsiteRestoreOptions,
): Promise<number> {
  const there = copiesIn(home);
  const named =
    start?.bucket !== undefined ? 'bucket' : start?.folder !== undefined ? 'disk' : (copy ?? there[0]);
  if (named === undefined || (!there.includes(named) && !start?.bucket && !start?.folder)) {
    complain(
      `The larder in ${home} has no ${copy ? copyNames[copy] : 'off-site copy'}. ${start ? 'Name its bucket with --bucket, or its folder with --folder.' : 'Set one up in the application, in Larder › Off-site.'}`,
    );
    return 2;
  }
  if (there.length > 1 && copy === undefined && !start?.bucket && !start?.folder) {
    complain(`The larder in ${home} has two copies. Name one: --copy bucket, or --copy disk.`);
    return 2;
  }
  const isNew = !there.includes(named);
  const passphrase = await secretFrom('KEEN_LARDER_PASSPHRASE', 'Passphrase or recovery key');
  const app = await openKeenLarder({
    home,
    addresses: [],
    log: pino({ level: 'silent' }),
    ...sealSecretOf(process.env),
  });
  try {
    const offsite = app.offsite.of(named);
    if (isNew) await takeUp(offsite, start!, passphrase);
    else await offsite.unlock(passphrase);
    return await work(app, offsite);
  } finally {
    await app.close();
  }
}

/** Takes a bucket into use in the place of the bench whose home was lost, where there was one alone. */
async function takeUp(offsite: Offsite, start: OffsiteRestoreOptions, passphrase: string): Promise<void> {
  const { endpoint, region, bucket, prefix, folder } = start;
  const request: OffsiteStart = {
    ...(folder === undefined
      ? { place: { region, prefix, bucket: bucket!, ...(endpoint && { endpoint }) } }
      : { folder: resolve(folder) }),
    passphrase,
    benchName: 'Restored',
  };
  await offsite.takeOver(request);
}
