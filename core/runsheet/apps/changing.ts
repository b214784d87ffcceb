import { applies, needOf, needsCopy, takesAway, type AppAction, type Need } from '../../apps/built-in.ts';
import { certaintyWords, purposeOf, type Purpose } from '../../apps/purposes/purposes.ts';
import type { AppFacts } from '../../apps/facts.ts';
import type { PhoneUser } from '../../phone/users/users.ts';
import type { PhoneFacts } from '../../phone/facts.ts';
import { bySeverity, stop, type Check, type RunSheet, type Step } from '../check.ts';
import { userChecks } from './users.ts';
import { inSystem, labelsOf, msForEachApp } from './common.ts';

/** Everything the sheet of disabling, removing, enabling or bringing back apps is computed from. */
export interface ChangingFacts {
  readonly phone: PhoneFacts;
  /** Whose apps they are; undefined where the phone tells of nobody. */
  readonly user?: PhoneUser | undefined;
  readonly installed: readonly AppFacts[];
  readonly picked: readonly string[];
  readonly action: AppAction;
  /** What pre-installed apps are for, as far as the workshop knows. */
  readonly purposes?: readonly Purpose[] | undefined;
  /** Packages of which a whole copy, with the program, is in the larder. */
  readonly copied: ReadonlySet<string>;
}

export const actionWords: Readonly<Record<AppAction, string>> = {
  disable: 'Disable',
  enable: 'Enable',
  remove: 'Remove',
  'bring-back': 'Bring back',
  'take-back-update': 'Take updates back of',
};

/** What misses a pre-installed app, by what the workshop knows of it, where nothing else is known to. */
function withPurpose(need: Need, { package: name, isBuiltIn }: AppFacts, known: readonly Purpose[]): Need {
  const purpose = isBuiltIn && need.risk === 'none' ? purposeOf(name, known) : undefined;
  return purpose?.dependents
    ? { risk: 'depended-on', why: `${purpose.dependents} (${certaintyWords[purpose.certainty]})` }
    : need;
}

/** The plan of changing apps for one user of a phone, most often its owner; all of it can be undone from the phone's page. */
export function changingSheet(facts: ChangingFacts): RunSheet {
  const { action, picked, installed, copied } = facts;
  const apps = picked.flatMap((name) => {
    const app = installed.find((each) => each.package === name);
    return app && applies(action, app)
      ? [{ app, need: withPurpose(needOf(app, installed), app, facts.purposes ?? []) }]
      : [];
  });
  const steps = apps.map(({ app }): Step => ({
    kind: 'remove',
    text: `${actionWords[action]} ${app.label}`,
    app: app.package,
    bytes: 0,
  }));
  const of = (risk: string) => (takesAway(action) ? apps.filter(({ need }) => need.risk === risk) : []);
  const [needed, depended] = [of('needed'), of('depended-on')];
  const unkept = needsCopy(action) ? apps.filter(({ app }) => !copied.has(app.package)) : [];
  const isOfUpdates = action === 'take-back-update';
  const shared = isOfUpdates ? apps.filter(({ app }) => app.otherUsers.length > 0) : [];
  const owners = action === 'remove' ? apps.filter(({ app }) => !app.isBuiltIn) : [];
  const checks: Check[] = [
    ...inSystem(facts),
    ...userChecks(facts, ['change'], false),
    ...(apps.length === 0
      ? stop('nothing-picked', 'Nothing is picked that this would change', 'Pick apps in the list.')
      : []),
    ...(needed.length > 0
      ? stop(
          'built-in-removal',
          'The phone needs it',
          `${needed.map(({ app, need }) => `${app.label}: ${need.why}`).join(' ')} Leave it out.`,
          { do: 'unpick', partitions: needed.map(({ app }) => app.package) },
        )
      : []),
    ...(unkept.length > 0
      ? stop(
          'copy-first',
          'Not whole in the larder yet',
          `${labelsOf(unkept)}: copy the program first, so that it can come back whatever happens.`,
          { do: 'copy-first', packages: unkept.map(({ app }) => app.package) },
        )
      : []),
    ...(depended.length > 0
      ? [
          {
            id: 'built-in-removal',
            severity: 'confirm',
            title: 'Something else may miss it',
            sentence: depended.map(({ app, need }) => `${app.label}: ${need.why}`).join(' '),
          } as const,
        ]
      : []),
    ...(owners.length > 0
      ? [
          {
            id: 'will-wipe',
            severity: 'confirm',
            title: 'Removed with its data',
            sentence: `Not pre-installed: ${labelsOf(owners)}. Program and data are removed, and come back from the copy alone.`,
          } as const,
        ]
      : []),
    ...(isOfUpdates && apps.length > 0
      ? [
          {
            id: 'will-wipe',
            severity: 'confirm',
            title: 'Their data goes with the updates',
            sentence: `${labelsOf(apps)}: afterwards it is as it came with the system, without data. A copy brings back what it holds.`,
          } as const,
        ]
      : []),
    ...(shared.length > 0
      ? [
          {
            id: 'shared-program',
            severity: 'confirm',
            title: 'For other users as well',
            sentence: `${labelsOf(shared)}: a phone has one program for all of its users. Their data goes too, and the copy does not have it.`,
          } as const,
        ]
      : []),
    ...(apps.length > 0
      ? [
          {
            id: 'can-be-undone',
            severity: 'good',
            title: 'It can be undone',
            sentence: isOfUpdates
              ? 'Put the copies back: their programs are the updates.'
              : 'Under “off” in the list; a pre-installed app keeps its program on the phone.',
          } as const,
        ]
      : []),
  ];
  return {
    steps,
    bytes: 0,
    bytesPerSecond: 1,
    expectedMs: apps.length * msForEachApp,
    batteryPercent: 0,
    checks: bySeverity(checks),
  };
}
