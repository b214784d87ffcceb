import type { ChangingAppsStart } from '@keen-larder/contract/requests.ts';
import type { RunView } from '@keen-larder/contract/runs.ts';
import type { AppAction } from '@keen-larder/core/apps/built-in.ts';
import { actionWords, listText } from '@keen-larder/core/runsheet/run-sheets.ts';
import { PhoneRefusal, type AppWork } from '../../links/phone-link.ts';
import { workOf } from './app-sheets.ts';
import { requireClear } from '../engine/clear.ts';
import type { RunContext } from '../engine/run-context.ts';
import { PartFailure } from '../engine/run-engine.ts';
import { PhoneAtWork } from '../phone/phone-at-work.ts';

const work: Readonly<Record<AppAction, (work: AppWork, name: string) => Promise<void>>> = {
  disable: (work, name) => work.setEnabled(name, false),
  enable: (work, name) => work.setEnabled(name, true),
  remove: (work, name) => work.uninstall(name),
  'bring-back': (work, name) => work.bringBack(name),
};

/** How an app must be afterwards. */
const isDone: Readonly<
  Record<AppAction, (app: { isEnabled: boolean; isRemoved: boolean } | undefined) => boolean>
> = {
  disable: (app) => app !== undefined && !app.isEnabled,
  enable: (app) => app?.isEnabled ?? false,
  remove: (app) => app === undefined || app.isRemoved,
  'bring-back': (app) => app !== undefined && !app.isRemoved,
};

/**
 * Disables, enables, removes or brings back apps for the phone's owner, and looks whether it came to be so.
 * @throws Problem 422 with the checks that stand in the way
 */
export async function startChangingApps(
  context: RunContext,
  serial: string,
  start: ChangingAppsStart,
): Promise<RunView> {
  const { appSheets, bench, engine, patience } = context;
  const sheet = await appSheets.changing(serial, start);
  requireClear(sheet, start.confirmed);
  const { nickname } = bench.view(serial);
  const { action } = start;
  return engine.start(
    {
      kind: 'changing-apps',
      title: `${actionWords[action]} ${sheet.steps.length === 1 ? 'one app' : `${sheet.steps.length} apps`} on ${nickname}`,
      serial,
      nickname,
      mode: 'system',
      link: bench.link(serial).kind,
      steps: sheet.steps,
    },
    async (run) => {
      const phone = new PhoneAtWork(bench, serial, 'system', run, patience, 'What was done before stays');
      const failed: string[] = [];
      for (const [index, { app: name, text }] of sheet.steps.entries()) {
        await run
          .step(index, () =>
            phone.insist({
              what: text,
              async attempt({ link }) {
                const hands = workOf(link);
                try {
                  await work[action](hands, name!);
                } catch (error) {
                  if (error instanceof PhoneRefusal) throw new PartFailure(error.message);
                  throw error;
                }
                if (!isDone[action](await hands.describe(name!)))
                  throw new PartFailure('The phone said yes, and it is as it was.');
                return 'as the package manager says now';
              },
            }),
          )
          .catch((error: unknown) => {
            if (!(error instanceof PartFailure)) throw error;
            failed.push(text);
            run.leftSome();
          });
      }
      const done = sheet.steps.length - failed.length;
      const kept = `${done === 1 ? 'One app' : `${done} apps`} changed; it can be undone on the phone’s page.`;
      return failed.length === 0 ? kept : `Not done: ${listText(failed)}; each step says why. ${kept}`;
    },
  );
}
