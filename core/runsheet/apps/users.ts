import { bansOf, isOther, userText, type PhoneUser, type UserDoing } from '../../phone/users/users.ts';
import type { PhoneFacts } from '../../phone/facts.ts';
import { listText, stop, type Check } from '../check.ts';

interface ForUser {
  readonly phone: PhoneFacts;
  /** Whose apps they are; undefined where the phone tells of nobody. */
  readonly user?: PhoneUser | undefined;
}

const forbids: Readonly<Record<UserDoing, string>> = {
  reach: 'that anything is reached over adb',
  install: 'that programs are installed',
  change: 'that apps are changed or removed',
};

/**
 * What is to be said of whose apps they are: whoever manages a profile may forbid things, and a user's files are encrypted until their
 * screen lock was opened once since the phone started.
 * @param doing what is to be done besides reaching them
 * @param withData data is read or written
 */
export function userChecks(
  { phone, user }: ForUser,
  doing: readonly Exclude<UserDoing, 'reach'>[],
  withData: boolean,
): Check[] {
  if (!user) return [];
  const forbidden = (['reach', ...doing] as const).filter((each) => bansOf(user, each).length > 0);
  const bans = forbidden.flatMap((each) => bansOf(user, each));
  if (forbidden.length > 0)
    return stop(
      'user-forbids',
      `${user.name} does not allow it`,
      `${user.isManaged ? 'The app that manages it forbids' : 'Its restrictions forbid'} ${listText(forbidden.map((each) => forbids[each]))} (${listText(bans)}). Ask whoever manages it, or leave ${userText(user)} out.`,
    );
  if (isOther(user) && withData && !phone.root)
    return stop(
      'needs-root',
      'Its data needs root',
      `The backup of the phone’s own has the owner’s apps alone. Take the programs of ${userText(user)}, without data.`,
    );
  if (withData && !user.isOpen)
    return stop(
      'user-closed',
      isOther(user) ? `${user.name} is locked` : 'Nobody has unlocked the phone yet',
      isOther(user)
        ? 'Its files open only once somebody unlocks it. Start it above the list, or unlock it on the phone, then look again.'
        : 'Since it started nobody has unlocked its screen, and the data of apps opens only then. Unlock it once, then look again.',
    );
  if (!isOther(user)) return [];
  return [
    {
      id: 'of-user',
      severity: 'note',
      title: `For ${userText(user)}`,
      sentence:
        'The phone’s owner keeps what is theirs: data, grants and what is installed are of this user alone.',
    },
  ];
}
