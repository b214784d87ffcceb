import { sizeText } from '@keen-larder/core/bytes/units.ts';
import type { KeenLarder } from '@keen-larder/server/keen-larder.ts';
import { complain, say } from './output.ts';
import { secretFrom } from './passphrase.ts';
import { withHome } from './with-home.ts';

export interface SealOptions {
  readonly home: string;
  readonly json?: boolean;
}

/** Says whether the larder is sealed. @returns 0 where all of it is, 1 where not */
export const sealStatus = ({ home, json = false }: SealOptions): Promise<number> =>
  withHome({ home }, (app) => tell(app, json));

/** Seals the larder, or goes on with that. @returns 0 when all of it is sealed, 1 where not */
export async function sealLarder({ home, json = false }: SealOptions): Promise<number> {
  const passphrase = await secretFrom('KEEN_LARDER_SEAL_PASSPHRASE', 'Passphrase');
  return withHome({ home }, async (app) => {
    const { resealing } = app;
    if (resealing.view().state === 'none') {
      const key = await resealing.seal(passphrase);
      complain(`Recovery key: ${key}`);
      complain('It opens the larder when the passphrase is forgotten. It is shown once; write it down now.');
    } else await resealing.unlock(passphrase);
    await resealing.settled();
    return tell(app, json);
  });
}

/** Takes the seal off. */
export async function unsealLarder({ home, json = false }: SealOptions): Promise<number> {
  const secret = await secretFrom('KEEN_LARDER_SEAL_PASSPHRASE', 'Passphrase or recovery key');
  return withHome({ home, secret }, async (app) => {
    await app.resealing.takeOff();
    await app.resealing.settled();
    const { fault } = app.resealing.view();
    if (fault === undefined) {
      if (json) say(JSON.stringify(app.resealing.view(), null, 2));
      else say('The larder is not sealed any more.');
      return 0;
    }
    complain(fault);
    return 1;
  });
}

/** Another passphrase; what is stored stays as it is. */
export async function changePassphrase({ home }: SealOptions): Promise<number> {
  const before = await secretFrom('KEEN_LARDER_SEAL_PASSPHRASE', 'Passphrase or recovery key until now');
  const passphrase = await secretFrom('KEEN_LARDER_NEW_PASSPHRASE', 'New passphrase');
  return withHome({ home, secret: before }, async (app) => {
    await app.resealing.changePassphrase(before, passphrase);
    say('The passphrase was changed. The recovery key is the same as before.');
    return 0;
  });
}

function tell(app: KeenLarder, json: boolean): number {
  const view = app.resealing.view();
  if (json) say(JSON.stringify(view, null, 2));
  else if (view.state === 'none') say('The larder is not sealed.');
  else if (view.state === 'locked') say('The larder is sealed.');
  else
    say(
      `The larder is sealed: ${sizeText(view.storedBytes - view.leftBytes)} of ${sizeText(view.storedBytes)}.`,
    );
  if (view.fault !== undefined) complain(view.fault);
  return view.state !== 'none' && view.leftBytes === 0 ? 0 : 1;
}
