import { resolve } from 'node:path';
import pino from 'pino';
import type { OffsiteStart } from '@keen-larder/contract/requests/larder/offsite.ts';
import { openKeenLarder, type KeenLarder } from '@keen-larder/server/keen-larder.ts';
import type { OffsiteManifest } from '@keen-larder/server/offsite/bucket-state.ts';
import { readOffsiteFile } from '@keen-larder/server/offsite/offsite-file.ts';
import { startCopyingOffSite, startFetching } from '@keen-larder/server/runs/files/copying-off-site.ts';
import { sealSecretOf } from '@keen-larder/server/shelf/shelf-seal.ts';
import { complain, say } from './output.ts';
import { secretFrom } from './passphrase.ts';

export interface OffsiteOptions {
  readonly home: string;
  readonly json?: boolean;
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
export async function offsiteStatus({ home, json = false }: OffsiteOptions): Promise<number> {
  return withOffsite(home, async (app) => {
    const missing = await app.offsite.missing();
    const view = app.offsite.view();
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
    }
    return missing.length === 0 ? 0 : 1;
  });
}

/** Sends what is missing. @returns 0 where all of the larder is there, 1 where not */
export async function offsiteSync({ home, json = false }: OffsiteOptions): Promise<number> {
  return withOffsite(home, async (app) => {
    const { id } = await startCopyingOffSite(app);
    return ended(app, id, json);
  });
}

/** Fetches what the larder does not have: all of it, or one set, also into a home folder that is empty. */
export async function offsiteRestore(options: OffsiteRestoreOptions): Promise<number> {
  const { home, json = false, set } = options;
  return withOffsite(
    home,
    async (app) => {
      const there = await app.offsite.elsewhere();
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
      const { id } = await startFetching(app, things);
      return ended(app, id, json);
    },
    options,
  );
}

async function ended(app: KeenLarder, id: string, json: boolean): Promise<number> {
  const run = await app.engine.ended(id);
  if (json) say(JSON.stringify({ run, offsite: app.offsite.view() }, null, 2));
  else {
    for (const { text, level } of app.engine.logOf(id)) if (level !== 'info') complain(text);
    (run.state === 'done' ? say : complain)(run.outcome ?? run.state);
  }
  return run.state === 'done' ? 0 : 1;
}

/** @param start where a bucket is to be taken into use first */
async function withOffsite(
  home: string,
  work: (app: KeenLarder) => Promise<number>,
  start?: OffsiteRestoreOptions,
): Promise<number> {
  const isNew = readOffsiteFile(home) === undefined;
  if (isNew && !start?.bucket && !start?.folder) {
    complain(
      `The larder in ${home} has no off-site copy. ${start ? 'Name its bucket with --bucket, or its folder with --folder.' : 'Set one up in the application, in Larder › Off-site.'}`,
    );
    return 2;
  }
  const passphrase = await secretFrom('KEEN_LARDER_PASSPHRASE', 'Passphrase or recovery key');
  const app = await openKeenLarder({
    home,
    addresses: [],
    log: pino({ level: 'silent' }),
    ...sealSecretOf(process.env),
  });
  try {
    if (isNew) await takeUp(app, start!, passphrase);
    else await app.offsite.unlock(passphrase);
    return await work(app);
  } finally {
    await app.close();
  }
}

/** Takes a bucket into use in the place of the bench whose home was lost, where there was one alone. */
async function takeUp(app: KeenLarder, start: OffsiteRestoreOptions, passphrase: string): Promise<void> {
  const { endpoint, region, bucket, prefix, folder } = start;
  const request: OffsiteStart = {
    ...(folder === undefined
      ? { place: { region, prefix, bucket: bucket!, ...(endpoint && { endpoint }) } }
      : { folder: resolve(folder) }),
    passphrase,
    benchName: 'Restored',
  };
  await app.offsite.takeOver(request);
}
