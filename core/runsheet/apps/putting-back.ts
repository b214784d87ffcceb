import { whyNoBackup } from '../../formats/android-backup/eligibility.ts';
import { checksThePhone, livesOnOnePhone } from '../../apps/known.ts';
import { hasPart } from '../../apps/copies.ts';
import { userOf } from '../../apps/ids.ts';
import { sizeText } from '../../bytes/units.ts';
import { batteryFor, restoringBattery } from '../battery.ts';
import { usualStartMs } from '../estimate.ts';
import { bySeverity, stop, type Check, type CheckId, type RunSheet, type Severity } from '../check.ts';
import { isOther } from '../../phone/users/users.ts';
import { userChecks } from './users.ts';
import { inSystem, labelsOf, msForEachApp, rootForData } from './common.ts';
import type { PickedCopy, PuttingAppsFacts } from './facts.ts';
import { idGoesBack, installs, puts, stepsOf, type Put } from './putting-steps.ts';

/** Something wrong with one of the apps of a batch, or worth a word. */
interface Finding {
  readonly id: CheckId;
  readonly severity: Severity;
  /** What of all that have it, by their labels. */
  readonly sentence: (labels: string, count: number) => string;
  readonly title: (count: number) => string;
}

type AppRule = (put: Put, facts: PuttingAppsFacts) => Finding | undefined;

const plural = (count: number, one: string, many: string) => (count === 1 ? one : `${count} ${many}`);

const nothingInCopy: AppRule = ({ copy, parts }) =>
  parts.length > 0 && parts.some((part) => hasPart(copy, part))
    ? undefined
    : {
        id: 'nothing-in-copy',
        severity: 'stop',
        title: (count) => `${plural(count, 'One copy has', 'copies have')} nothing of what is picked`,
        sentence: (labels) =>
          `${labels}: the copy was taken without it. Choose another copy, or other parts.`,
      };

const signature: AppRule = ({ app, present: own, elsewhere }) => {
  const present = own ?? elsewhere;
  if (!present || present.certificates.length === 0 || app.certificates.length === 0) return undefined;
  const kept = new Set(app.certificates);
  if (present.certificates.some((each) => kept.has(each))) return undefined;
  return {
    id: 'signature-differs',
    severity: 'stop',
    title: (count) => `${plural(count, 'One app', 'apps')} on the phone: another maker’s`,
    sentence: (labels) =>
      `${labels}: what is installed is signed with another certificate than the copy. Remove it from the phone first, or leave it out.`,
  };
};

/** Apps of one shared user must have one signer. */
const sharedUser: AppRule = ({ app, present }, { installed }) => {
  if (!app.sharedUserId || present) return undefined;
  const other = installed.find(({ sharedUserId }) => sharedUserId === app.sharedUserId);
  if (!other || other.certificates.some((each) => app.certificates.includes(each))) return undefined;
  return {
    id: 'signature-differs',
    severity: 'stop',
    title: (count) => `${plural(count, 'One app shares', 'apps share')} a user with another maker’s`,
    sentence: (labels) =>
      `${labels}: the apps that it would share a user with are signed with another certificate.`,
  };
};

const olderProgram: AppRule = (put) =>
  put.present && installs(put) && put.app.versionCode < put.present.versionCode
    ? {
        id: 'older-program',
        severity: 'confirm',
        title: (count) => `${plural(count, 'One program is', 'programs are')} older than on the phone`,
        sentence: (labels) =>
          `${labels}: the phone has a newer version, whose data an older one may not read.`,
      }
    : undefined;

/** A program is the same for all users of a phone. */
const sharedProgram: AppRule = (put, { user }) => {
  const there = put.present ?? put.elsewhere;
  const isShared = put.elsewhere ? isOther(user) : (put.present?.otherUsers.length ?? 0) > 0;
  return isShared && installs(put) && there!.versionCode !== put.app.versionCode
    ? {
        id: 'shared-program',
        severity: 'confirm',
        title: (count) =>
          `${plural(count, 'One program changes', 'programs change')} for other users as well`,
        sentence: (labels) =>
          `${labels}: another user of the phone has another version, and a phone has one program for all.`,
      }
    : undefined;
};

const ofAnotherUser: AppRule = ({ app }, { user }) => {
  const isSame = (app.user?.kind ?? 'owner') === (user?.kind ?? 'owner');
  return isSame
    ? undefined
    : {
        id: 'another-user',
        severity: 'confirm',
        title: (count) => `${plural(count, 'One copy is', 'copies are')} of another user`,
        sentence: (labels) =>
          `${labels}: copied from ${app.user?.name ?? 'the phone’s owner'} (user ${userOf(app.uid)}), and ${isOther(user) ? `${user.name} gets` : 'the owner gets'} it.`,
      };
};

const newerAndroid: AppRule = (put, { surroundings: { sdk } }) =>
  installs(put) && sdk !== undefined && (put.app.minSdk ?? 0) > sdk
    ? {
        id: 'needs-newer-android',
        severity: 'stop',
        title: (count) => `${plural(count, 'One app needs', 'apps need')} a newer Android`,
        sentence: (labels) => `${labels}: this phone’s API level is ${sdk}, which is too old. Leave it out.`,
      }
    : undefined;

const processor: AppRule = (put, { phone }) =>
  installs(put) && put.app.abis.length > 0 && !put.app.abis.some((abi) => phone.abis.includes(abi))
    ? {
        id: 'wrong-processor',
        severity: 'stop',
        title: (count) => `${plural(count, 'One app is', 'apps are')} for another processor`,
        sentence: (labels) =>
          `${labels}: no native code for ${phone.abis.join(', ')}. Leave it out; its maker may have it for this phone.`,
      }
    : undefined;

const withoutProgram: AppRule = (put) =>
  !put.present && !installs(put) && !put.app.isLeftover
    ? {
        id: 'data-without-program',
        severity: 'stop',
        title: (count) => `${plural(count, 'One app is', 'apps are')} not installed`,
        sentence: (labels) => `${labels}: data alone has nowhere to go. Put the program back as well.`,
      }
    : undefined;

/** What an app left goes back as it was, with its own id; no other app may have that by now. */
const idOfAnother: AppRule = (put, { installed }) => {
  const other = installed.find(({ uid }) => uid === put.app.uid);
  return put.app.isLeftover && !put.present && !installs(put) && other
    ? {
        id: 'id-of-another',
        severity: 'stop',
        title: (count) => `${plural(count, 'One id belongs', 'ids belong')} to another app now`,
        sentence: (labels) =>
          `${labels}: its files would belong to ${other.label}, which has its id ${put.app.uid} now. Leave it out.`,
      }
    : undefined;
};

const hardwareKeys: AppRule = (put, { phone }) => {
  if (!put.app.hasHardwareKeys || !puts(put)) return undefined;
  const isHome = phone.serial === put.copy.serial;
  if (isHome && put.present?.hasHardwareKeys) return undefined;
  return {
    id: 'hardware-keys',
    severity: 'confirm',
    title: (count) => `${plural(count, 'One app’s data', 'apps’ data')} will not open`,
    sentence: (labels) =>
      `${labels}: its keys were in the hardware of ${isHome ? 'this phone, and are gone since it was wiped' : 'the phone that it came from'}. Its owner must set it up again.`,
  };
};

const onePhone: AppRule = ({ app, copy }, { phone, movesFrom }) =>
  livesOnOnePhone(app.package) && copy.serial !== phone.serial
    ? {
        id: 'one-phone-account',
        severity: 'confirm',
        title: (count) => `${plural(count, 'One account lives', 'accounts live')} on one phone at a time`,
        sentence: (labels) =>
          movesFrom
            ? `${labels}: it is copied, then removed from ${movesFrom}, and only then put onto this phone.`
            : `${labels}: remove it on the phone that it came from first, or its account is locked on both.`,
      }
    : undefined;

const checksPhone: AppRule = ({ app }, { phone }) =>
  checksThePhone(app.package) && (phone.root || phone.condition.bootloaderUnlocked)
    ? {
        id: 'checks-the-phone',
        severity: 'note',
        title: (count) => `${plural(count, 'One app refuses', 'apps refuse')} phones like this one`,
        sentence: (labels) => `${labels}: it does not start on a rooted or unlocked phone.`,
      }
    : undefined;

const systemData: AppRule = (put, { surroundings: { sdk } }) =>
  put.app.isBuiltIn && puts(put) && put.app.sdk !== undefined && sdk !== undefined && put.app.sdk !== sdk
    ? {
        id: 'system-record-version',
        severity: 'confirm',
        title: (count) => `${plural(count, 'One system app', 'system apps')} of another Android`,
        sentence: (labels) =>
          `${labels}: data of API level ${put.app.sdk} goes to API level ${sdk}, which may not understand it.`,
      }
    : undefined;

const running: AppRule = ({ present }) =>
  present?.isRunning
    ? {
        id: 'app-running',
        severity: 'note',
        title: (count) => `${plural(count, 'One app is', 'apps are')} stopped first`,
        sentence: (labels) => `${labels}: running now.`,
      }
    : undefined;

/** What a phone does not take back as a backup of its own, whoever made it. */
const takesNoBackup: AppRule = (put, { phone, through, surroundings: { sdk } }) => {
  if (through !== 'backup' || phone.root || !puts(put)) return undefined;
  const why = put.present && whyNoBackup(put.present, sdk);
  return why
    ? {
        id: 'gives-no-backup',
        severity: 'stop',
        title: (count) => `${plural(count, 'One app takes', 'apps take')} no data back`,
        sentence: (labels) =>
          `${labels}: what forbids backups, is part of the system, or is made for Android 12 or later on such a phone, takes none back. Leave it out, or its data.`,
      }
    : undefined;
};

const replaced: AppRule = (put, { phone, through }) =>
  put.present && puts(put) && (put.present.dataBytes ?? 1) > 0
    ? {
        id: 'data-replaced',
        severity: 'note',
        title: (count) => `${plural(count, 'One app’s data is', 'apps’ data is')} replaced`,
        sentence: (labels) =>
          through === 'backup' && !phone.root
            ? `${labels}: the phone removes what it has now before it takes the copy’s. That cannot be taken back.`
            : `${labels}: what the phone has now stays until the copy’s is in place and proved, and is then removed.`,
      }
    : undefined;

/** Android makes an app an id as it first asks for one: by it, services know an account's device. */
const newId: AppRule = (put, facts) =>
  put.app.home?.androidId && !idGoesBack(put, facts) && (!put.present || installs(put))
    ? {
        id: 'new-android-id',
        severity: 'note',
        title: (count) => `${plural(count, 'One app may be', 'apps may be')} taken for newly installed`,
        sentence: (labels) =>
          facts.phone.root
            ? `${labels}: Android makes a new id for what is installed anew. Tick Android ids to give the old back; the phone restarts at the end.`
            : `${labels}: Android makes a new id for what is installed anew, and only root writes the old.`,
      }
    : undefined;

const rules: readonly AppRule[] = [
  nothingInCopy,
  signature,
  sharedUser,
  olderProgram,
  sharedProgram,
  ofAnotherUser,
  newerAndroid,
  processor,
  withoutProgram,
  idOfAnother,
  hardwareKeys,
  onePhone,
  checksPhone,
  systemData,
  running,
  takesNoBackup,
  replaced,
  newId,
];

/** The plan of putting apps back, or of putting those of one phone onto another. */
export function puttingAppsSheet(facts: PuttingAppsFacts): RunSheet {
  const all = facts.picked.map((each): Put => putOf(each, facts));
  const steps = stepsOf(all, facts);
  const bytes = steps.reduce((sum, step) => sum + step.bytes, 0);
  const restarts = steps.filter(({ kind }) => kind === 'restart').length;
  const expectedMs =
    (bytes / facts.bytesPerSecond) * 1000 + all.length * msForEachApp + restarts * usualStartMs;
  return {
    steps,
    bytes,
    bytesPerSecond: facts.bytesPerSecond,
    expectedMs,
    batteryPercent: batteryFor(expectedMs),
    checks: bySeverity([
      ...inSystem(facts),
      ...userChecks(facts, all.some(installs) ? ['install'] : [], all.some(puts)),
      ...(isOther(facts.user) ? [] : rootForData(facts.phone, all.some(puts), facts.through)),
      ...nothingPicked(all),
      ...restoringBattery(facts.phone.battery),
      ...room(facts, bytes),
      ...gathered(all, facts),
    ]),
  };
}

function putOf({ copy, parts }: PickedCopy, { installed, ofOwner }: PuttingAppsFacts): Put {
  const { app } = copy;
  const going = parts.filter((part) => hasPart(copy, part));
  return {
    copy,
    parts: going,
    app,
    present: installed.find((each) => each.package === app.package),
    elsewhere: ofOwner?.find((each) => each.package === app.package),
    bytes: copy.parts.filter(({ kind }) => going.includes(kind)).reduce((sum, part) => sum + part.bytes, 0),
  };
}

/** One check for all apps of which the same is to be said. */
function gathered(all: readonly Put[], facts: PuttingAppsFacts): Check[] {
  return rules.flatMap((rule) => {
    const found = all.flatMap((put) => {
      const finding = rule(put, facts);
      return finding ? [{ put, finding }] : [];
    });
    if (found.length === 0) return [];
    const { finding } = found[0]!;
    const names = found.map(({ put }) => put.app.package);
    const sentence = finding.sentence(labelsOf(found.map(({ put }) => put)), found.length);
    return [
      {
        id: finding.id,
        severity: finding.severity,
        title: finding.title(found.length),
        sentence,
        ...(finding.id === 'data-without-program' && found.every(({ put }) => hasPart(put.copy, 'program'))
          ? { mend: { do: 'add-programs' } as const }
          : finding.severity === 'stop' && all.length > found.length
            ? { mend: { do: 'unpick', partitions: names } as const }
            : {}),
      },
    ];
  });
}

/** All that is to be said of one app by itself, stops first. */
export function findingsOf(
  each: PickedCopy,
  facts: PuttingAppsFacts,
): { readonly id: CheckId; readonly severity: Severity; readonly sentence: string }[] {
  const put = putOf(each, facts);
  const found = rules.flatMap((rule) => rule(put, facts) ?? []);
  const inOrder = [...found].sort((a, b) => severities.indexOf(a.severity) - severities.indexOf(b.severity));
  return inOrder.map(({ id, severity, sentence }) => ({
    id,
    severity,
    sentence: sentence(put.app.label, 1),
  }));
}

const severities: readonly Severity[] = ['stop', 'confirm', 'note', 'good'];

const nothingPicked = (all: readonly Put[]): Check[] =>
  all.length === 0
    ? stop('nothing-picked', 'No app is picked', 'Pick the apps to put back in the list.')
    : [];

/** New data lies beside what was there until it is proved. */
function room({ surroundings: { freeBytes } }: PuttingAppsFacts, bytes: number): Check[] {
  if (freeBytes === undefined || bytes === 0) return [];
  const words = `About ${sizeText(bytes)} are needed beside what is there; ${sizeText(freeBytes)} are free on the phone.`;
  return bytes > freeBytes
    ? stop('app-space', 'The phone is too full', `${words} Remove something from the phone, or pick less.`)
    : [{ id: 'app-space', severity: 'good', title: 'There is room on the phone', sentence: words }];
}
