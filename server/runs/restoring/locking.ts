import type { LockingStart } from '@keen-larder/contract/requests/phones.ts';
import type { RunView } from '@keen-larder/contract/runs.ts';
import { onPhone, startRun } from '../engine/start-run.ts';
import type { RunContext } from '../engine/run-context.ts';
import { PhoneAtWork } from '../phone/phone-at-work.ts';
import { watchStart } from './return-proof.ts';
import { RunFailure, PhoneFailure } from '../../failures.ts';

/**
 * Locks or unlocks a phone's bootloader, which wipes its user data.
 * @throws Problem 422 with the checks that stand in the way, or when the run is not armed
 */
export async function startLocking(
  context: RunContext,
  serial: string,
  start: LockingStart,
): Promise<RunView> {
  const { bench, phones, startLimitMs, now } = context;
  const state = start.lock ? 'locked' : 'unlocked';
  return startRun(context, {
    sheet: () => context.restoringSheets.locking(serial, start.lock),
    confirmed: start.confirmed,
    seen: start.seen,
    arming: { serial, typed: start.armedWith },
    plan() {
      const phone = onPhone(context, serial);
      const title = `${start.lock ? 'Lock' : 'Unlock'} the bootloader of ${phone.nickname}`;
      return { kind: 'locking', title, ...phone };
    },
    async work(run, { steps }) {
      const { nickname } = bench.view(serial);
      let started = '';
      for (const [i, { kind, into }] of steps.entries()) {
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
                if (!(error instanceof PhoneFailure)) throw error;
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
  });
}
