import { armingText } from '@keen-larder/contract/armed.ts';
import type { LockingStart } from '@keen-larder/contract/requests.ts';
import type { RunView } from '@keen-larder/contract/runs.ts';
import { LinkFailure } from '../../links/phone-link.ts';
import { Problem } from '../../problem.ts';
import { requireClear } from '../engine/clear.ts';
import type { RunContext } from '../engine/run-context.ts';
import { RunFailure } from '../engine/run-engine.ts';
import { PhoneAtWork } from '../phone/phone-at-work.ts';
import { watchStart } from './return-proof.ts';

/**
 * Locks or unlocks a phone's bootloader, which wipes its user data.
 * @throws Problem 422 with the checks that stand in the way, or when the run is not armed
 */
export async function startLocking(
  context: RunContext,
  serial: string,
  start: LockingStart,
): Promise<RunView> {
  const { bench, engine, sheets, phones, startLimitMs, now } = context;
  const sheet = await sheets.locking(serial, start.lock);
  requireClear(sheet, start.confirmed);
  if (start.armedWith !== armingText(serial)) {
    throw new Problem(422, 'The run is not armed: type the last four characters of the phone’s serial.');
  }
  const { nickname } = bench.view(serial);
  const state = start.lock ? 'locked' : 'unlocked';
  return engine.start(
    {
      kind: 'locking',
      title: `${start.lock ? 'Lock' : 'Unlock'} the bootloader of ${nickname}`,
      serial,
      nickname,
      mode: bench.facts(serial).mode,
      steps: sheet.steps,
    },
    async (run) => {
      let started = '';
      for (const [i, { kind, into }] of sheet.steps.entries()) {
        await run.step(i, async () => {
          switch (kind) {
            case 'restart':
              if (into === 'system') await bench.restart(serial, 'system');
              else await PhoneAtWork.restart(bench, serial, into!, run, startLimitMs);
              return undefined;
            case 'watch':
              started = await watchStart(context, serial, run);
              return started;
            default: {
              const { flashing } = bench.link(serial);
              if (!flashing) throw new RunFailure('The phone is not in its bootloader.');
              const what = `Waiting for ${nickname}: read what its screen asks, and agree with the keys it names.`;
              try {
                await run.waiting(what, () => flashing.setLocked(start.lock, run.signal));
              } catch (error) {
                if (!(error instanceof LinkFailure)) throw error;
                throw new RunFailure(`${error.message} Nothing was changed.`, { cause: error });
              }
              phones.wiped(serial, now());
              bench.forgetPartitions(serial);
              return `the bootloader is ${state}`;
            }
          }
        });
      }
      const { bootloaderUnlocked } = bench.facts(serial).condition;
      if (bootloaderUnlocked === start.lock)
        throw new RunFailure(`The phone started and says that its bootloader is not ${state}.`);
      return `The bootloader is ${state}; user data is wiped. The phone: ${started}.`;
    },
  );
}
