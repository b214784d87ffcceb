import type { WaitingStart } from '@keen-larder/contract/requests/apps.ts';
import type { RunView } from '@keen-larder/contract/runs.ts';
import { listText } from '@keen-larder/core/runsheet/run-sheets.ts';
import { asOnePart, PartFailure } from '../../failures.ts';
import type { RunContext } from '../engine/run-context.ts';
import { onPhone, startRun } from '../engine/start-run.ts';
import { workOf } from '../phone/phone-access.ts';
import { PhoneAtWork } from '../phone/phone-at-work.ts';

/**
 * Installs programs that an archive left on the phone, an app a step.
 * @throws Problem 422 with the checks that stand in the way
 */
export function startInstallingWaiting(
  context: RunContext,
  serial: string,
  start: WaitingStart,
): Promise<RunView> {
  const { appSheets, bench, retryPolicy } = context;
  return startRun(context, {
    sheet: () => appSheets.waiting(serial, start),
    confirmed: start.confirmed,
    seen: start.seen,
    plan({ steps }) {
      const phone = onPhone(context, serial);
      const programs = steps.length === 1 ? 'one program' : `${steps.length} programs`;
      return {
        kind: 'installing-waiting',
        title: `Install ${programs} that wait${steps.length === 1 ? 's' : ''} on ${phone.nickname}`,
        ...phone,
      };
    },
    async work(run, { steps }) {
      const phone = new PhoneAtWork(bench, serial, 'system', run, retryPolicy, 'What was done before stays');
      const failed: string[] = [];
      for (const [index, { app: name, text }] of steps.entries()) {
        const install = () =>
          phone.retry({
            what: text,
            async attempt({ link, signal }) {
              const work = workOf(link);
              const one = (await work.waiting()).find((each) => each.package === name);
              if (!one) throw new PartFailure('It does not wait there any more.');
              await work.installWaiting(one, signal);
              const present = await work.describe(name!);
              if (!present) throw new PartFailure('The phone said yes, and it is not installed.');
              return `version ${present.versionName}, as the package manager says now`;
            },
          });
        if (!(await run.part(index, () => asOnePart(install)))) failed.push(name!);
      }
      const done = steps.length - failed.length;
      const count = done === 1 ? 'One program is' : `${done} programs are`;
      const next = `${count} installed. Install the archive once more in recovery: their data is in it.`;
      if (failed.length === 0) return next;
      return `Not installed: ${listText(failed)}; each step says why.${done > 0 ? ` ${next}` : ''}`;
    },
  });
}
