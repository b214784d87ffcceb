import type { ChangingAppsStart } from '@keen-larder/contract/requests/apps.ts';
import type { RunView } from '@keen-larder/contract/runs.ts';
import { hasUpdate, type AppAction } from '@keen-larder/core/apps/built-in.ts';
import type { InstalledApp } from '@keen-larder/core/apps/facts.ts';
import { actionWords, listText } from '@keen-larder/core/runsheet/run-sheets.ts';
import { asOnePart, PartFailure } from '../../failures.ts';
import type { AppWork } from '../../links/app-access.ts';
import type { RunContext } from '../engine/run-context.ts';
import { onPhone, startRun } from '../engine/start-run.ts';
import { workOf } from '../phone/phone-access.ts';
import { PhoneAtWork } from '../phone/phone-at-work.ts';

const work: Readonly<Record<AppAction, (work: AppWork, name: string) => Promise<void>>> = {
  disable: (work, name) => work.setEnabled(name, false),
  enable: (work, name) => work.setEnabled(name, true),
  remove: (work, name) => work.uninstall(name),
  'bring-back': (work, name) => work.bringBack(name),
  'take-back-update': (work, name) => work.uninstallForAll(name),
};

/** How an app must be afterwards. */
const isDone: Readonly<Record<AppAction, (app: InstalledApp | undefined) => boolean>> = {
  disable: (app) => app !== undefined && !app.isEnabled,
  enable: (app) => app?.isEnabled ?? false,
  remove: (app) => app === undefined || app.isRemoved,
  'bring-back': (app) => app !== undefined && !app.isRemoved,
  'take-back-update': (app) => app !== undefined && !hasUpdate(app),
};

/**
 * Disables, enables, removes or brings back apps for the phone's owner, and looks whether it came to be so.
 * @throws Problem 422 with the checks that stand in the way
 */
export function startChangingApps(
  context: RunContext,
  serial: string,
  start: ChangingAppsStart,
): Promise<RunView> {
  const { appSheets, bench, retryPolicy } = context;
  const { action } = start;
  return startRun(context, {
    sheet: () => appSheets.changing(serial, start),
    confirmed: start.confirmed,
    seen: start.seen,
    plan({ steps }) {
      const phone = onPhone(context, serial);
      const apps = steps.length === 1 ? 'one app' : `${steps.length} apps`;
      return {
        kind: 'changing-apps',
        title: `${actionWords[action]} ${apps} on ${phone.nickname}`,
        ...phone,
      };
    },
    async work(run, { steps }) {
      const phone = new PhoneAtWork(
        bench,
        serial,
        'system',
        run,
        retryPolicy,
        'What was done before stays',
        start.user,
      );
      const failed: string[] = [];
      for (const [index, { app: name, text }] of steps.entries()) {
        const change = () =>
          phone.retry({
            what: text,
            async attempt({ link }) {
              const hands = workOf(link);
              await work[action](hands, name!);
              if (!isDone[action](await hands.describe(name!)))
                throw new PartFailure('The phone said yes, and it is as it was.');
              return 'as the package manager says now';
            },
          });
        if (!(await run.part(index, () => asOnePart(change)))) failed.push(text);
      }
      const done = steps.length - failed.length;
      const kept = `${done === 1 ? 'One app' : `${done} apps`} changed; it can be undone on the phone’s page.`;
      return failed.length === 0 ? kept : `Not done: ${listText(failed)}; each step says why. ${kept}`;
    },
  });
}
