import type { LeftoversStart } from '@keen-larder/contract/requests/apps.ts';
import type { RunView } from '@keen-larder/contract/runs.ts';
import { folderKinds, folderOf, type CopiedApp } from '@keen-larder/core/apps/copies.ts';
import { componentsIn } from '@keen-larder/core/apps/home/reading.ts';
import type { Leftover, LeftoverNote } from '@keen-larder/core/apps/leftovers.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import { listText } from '@keen-larder/core/runsheet/run-sheets.ts';
import { asOnePart, PartFailure, PhoneRefusal } from '../../../failures.ts';
import type { AppCopies } from '../../../larder/copies.ts';
import type { PhoneLink } from '../../../links/phone-link.ts';
import type { NewPart } from '../../../larder/copies-of-a-kind.ts';
import type { SetWriter } from '../../../shelf/set-writer.ts';
import { onPhone, startRun } from '../../engine/start-run.ts';
import type { RunContext } from '../../engine/run-context.ts';
import { filesOf, foldersOf, workOf } from '../../phone/phone-access.ts';
import { PhoneAtWork, type Attempt } from '../../phone/phone-at-work.ts';
import { copyBatch } from '../app-batch.ts';
import { takeFolder, takeProgram } from '../copying.ts';
import { findLeftovers } from './finding.ts';

/**
 * Removes what apps left that are not installed any more, an app a step; keeps it first where that is wanted, and removes nothing
 * that could not be kept.
 * @throws Problem 422 with the checks that stand in the way
 */
export function startRemovingLeftovers(
  context: RunContext,
  serial: string,
  start: LeftoversStart,
): Promise<RunView> {
  const { appSheets, bench, retryPolicy } = context;
  const count = start.packages.length === 1 ? 'one app' : `${start.packages.length} apps`;
  return startRun(context, {
    sheet: () => appSheets.leftovers(serial, start),
    confirmed: start.confirmed,
    seen: start.seen,
    writesShelf: start.keepsFirst,
    plan() {
      const phone = onPhone(context, serial);
      return {
        kind: 'removing-leftovers',
        title: `Remove leftovers of ${count} from ${phone.nickname}`,
        ...phone,
      };
    },
    async work(run, { steps }) {
      const phone = new PhoneAtWork(bench, serial, 'system', run, retryPolicy, 'What was done before stays');
      const { found, sdk } = await phone.retry({
        what: 'Look for leftovers',
        attempt: async ({ link, signal }) => ({
          found: await findLeftovers(link, signal),
          sdk: await workOf(link).sdk(),
        }),
      });
      const oneOf = (name: string) => {
        const one = found.find((each) => each.package === name);
        if (!one) throw new PartFailure('It is not left over any more: installed again, or gone.');
        return one;
      };
      const copies = steps.filter(({ kind }) => kind === 'copy');
      const unkept = new Set<string>();
      if (copies.length > 0) {
        const { maker, model } = bench.facts(serial);
        const from = { phone: { serial, maker, model, nickname: bench.view(serial).nickname } };
        const apps = copies.map(({ app }) => ({ package: app!, label: app! }));
        const { failed } = await copyBatch(context, run, from, apps, async (index, set, passed) => {
          const one = oneOf(apps[index]!.package);
          const parts = await phone.retry({
            what: copies[index]!.text,
            passed,
            attempt: (attempt) => takeLeftover(attempt, one, set, context.larder.copies),
            onBreak: () => set.seal(),
          });
          return { facts: leftoverFacts(one, sdk), parts, remark: ', as the phone digests it' };
        });
        failed.forEach((name) => unkept.add(name));
      }
      const failed: string[] = [];
      let bytes = 0;
      for (const [index, { kind, app: name, text }] of steps.entries()) {
        if (kind !== 'remove') continue;
        const isDone = await run.part(index, () =>
          asOnePart(async () => {
            if (unkept.has(name!)) throw new PartFailure('It was not kept, and stays.');
            const one = oneOf(name!);
            const what = await phone.retry({
              what: text,
              attempt: (attempt) => removeLeftover(attempt, one),
            });
            bytes += one.bytes;
            return `${what} removed`;
          }),
        );
        if (!isDone) failed.push(name!);
      }
      const freed = bytes > 0 ? `${sizeText(bytes)} of user data are free again.` : 'Nothing of it is left.';
      return failed.length === 0
        ? freed
        : `Still there: ${listText(failed)}; each step says why.${bytes > 0 ? ` ${freed}` : ''}`;
    },
  });
}

/** What is left of an app as parts of a copy. */
async function takeLeftover(
  attempt: Attempt,
  one: Leftover,
  set: SetWriter,
  copies: AppCopies,
): Promise<NewPart[]> {
  const about = { package: one.package, label: one.package };
  const parts: NewPart[] = [];
  for (const { kind, path, bytes } of one.folders) {
    if (kind === 'profile') continue;
    if (kind !== 'program') {
      parts.push((await takeFolder(attempt, about, kind, set)).part);
      continue;
    }
    const names = (await filesOf(attempt.link).list(path)).map(({ name }) => name);
    // The base first, as copies have it; of two programs one is kept.
    const apks = names.filter((name) => name.endsWith('.apk')).sort();
    const base = apks.filter((name) => name === 'base.apk');
    const paths = [...base, ...apks.filter((name) => name !== 'base.apk')].map((name) => `${path}/${name}`);
    if (paths.length > 0 && !parts.some((part) => part.kind === 'program'))
      parts.push(
        ...(await takeProgram(attempt, { ...about, paths, programBytes: bytes }, set, copies)).parts,
      );
  }
  if (parts.length === 0) throw new PartFailure('There is nothing in it that could be kept.');
  return parts;
}

/**
 * What is still left over is removed, and nothing of an app that came back meanwhile. The package manager's entry goes first: it may
 * refuse, and takes folders with it.
 */
async function removeLeftover({ link, signal }: Attempt, one: Leftover): Promise<string> {
  const present = await workOf(link).describe(one.package);
  const goes = one.folders.filter(
    ({ kind, path }) => !present || (kind === 'program' && !`${present.codePath}/`.startsWith(`${path}/`)),
  );
  if (goes.length < one.folders.length || (present && one.notes.length > 0))
    throw new PartFailure('It is installed again: nothing of it was removed.');
  const hasEntry = async () =>
    (await link.apps?.entries(signal))?.some(
      ({ package: name, isArchived }) => name === one.package && !isArchived,
    );
  if (one.notes.some(({ kind }) => kind === 'entry') && (await hasEntry())) {
    await mustBeOwnersAlone(link, one.package);
    await workOf(link).uninstallForAll(one.package);
    if (await hasEntry())
      throw new PartFailure('The phone said yes, and its package manager has the entry still.');
  }
  await filesOf(link).remove(goes.map(({ path }) => path));
  for (const { path } of goes)
    if (await foldersOf(link).hasFolder(path))
      throw new PartFailure(`The phone said yes, and ${path} is still there.`);
  for (const note of one.notes) if (note.kind === 'setting') await takeOut(link, note);
  const notes = one.notes.map((note) => (note.kind === 'entry' ? 'its entry' : note.setting));
  return [...(one.bytes > 0 ? [sizeText(one.bytes)] : []), ...new Set(notes)].join(', ');
}

/** With an entry goes what any user has of the app, and only the owner's is kept. @throws PartFailure */
async function mustBeOwnersAlone(link: PhoneLink, name: string): Promise<void> {
  const others = ((await link.users?.list()) ?? []).filter(({ id }) => id !== 0);
  const paths = others.flatMap(({ id }) => folderKinds.map((kind) => folderOf(kind, name, 'system', id)));
  const [there] = paths.length > 0 ? (await foldersOf(link).look(paths)).keys() : [];
  if (there !== undefined)
    throw new PartFailure(
      `Another user has ${there}, which would go with it and is not kept. Nothing was removed.`,
    );
}

/** Takes a component out of a user's setting; of listeners the system has a list of its own, which the setting follows. */
async function takeOut(link: PhoneLink, note: LeftoverNote & { kind: 'setting' }): Promise<void> {
  const { home } = link.asUser(note.user);
  const those = async () => componentsIn((await home?.setting(note.setting)) ?? '');
  if (!home || !(await those()).includes(note.component)) return;
  if (note.setting === 'enabled_notification_listeners') {
    try {
      await home.disallowListener(note.component);
    } catch (error) {
      if (!(error instanceof PhoneRefusal)) throw error;
    }
  }
  const others = (await those()).filter((each) => each !== note.component);
  await home.setSetting(note.setting, others.join(':'));
  if ((await those()).includes(note.component))
    throw new PartFailure(`The phone said yes, and ${note.setting} names ${note.component} still.`);
}

const leftoverFacts = ({ package: name, uid }: Leftover, sdk: number | undefined): CopiedApp => ({
  ...{
    package: name,
    label: name,
    versionCode: 0,
    versionName: 'left over',
    uid: uid ?? 0,
    abis: [],
    certificates: [],
  },
  ...{ isBuiltIn: false, isEnabled: true, permissions: [], hasHardwareKeys: false, sdk },
  isLeftover: true,
});
