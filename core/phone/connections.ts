/** How it stands with a way to a phone, short of the phone being there. */
export const connectionStates = [
  'connected',
  'nobody',
  'asks',
  'silent',
  'held',
  'offline',
  'no permissions',
  'second',
  'other',
  'unreadable',
] as const;
export type ConnectionState = (typeof connectionStates)[number];

export interface ConnectionWords {
  readonly title: string;
  /** What it means and what to do; empty where nothing is to be done. */
  readonly sentence: string;
}

/** What a state means in plain words. @param fingerprint of the bench computer's key */
export function connectionWords(state: ConnectionState, fingerprint: string): ConnectionWords {
  switch (state) {
    case 'connected':
      return { title: 'connected', sentence: '' };
    case 'nobody':
      return {
        title: 'nothing answers',
        sentence: 'It is followed, and shows on the bench as soon as it answers.',
      };
    case 'asks':
      return {
        title: 'has not allowed this computer yet',
        sentence: `Unlock the phone. It asks whether to allow USB debugging from this computer, whose key it shows as ${fingerprint}: compare, tick “Always allow”, and tap Allow. If it shows no question, switch USB debugging off and on again.`,
      };
    case 'silent':
      return {
        title: 'is held by another program',
        sentence:
          'Something takes the connection and says nothing: usually another program has the phone, such as a second adb server, a flashing tool or another Keen Larder. End that program, or pull the cable and put it in again.',
      };
    case 'held':
      return {
        title: 'is held by another program',
        sentence:
          'Only one program at a time can have a phone on USB. An adb server that was started meanwhile ends by “adb kill-server”; otherwise it is a flashing tool or another Keen Larder. End that program: the phone is then taken by itself.',
      };
    case 'offline':
      return {
        title: 'is offline',
        sentence:
          'The phone is seen, but does not answer. Pull the cable and put it in again; if it stays so, switch USB debugging off and on.',
      };
    case 'no permissions':
      return {
        title: 'may not be used by this account',
        sentence:
          'This computer does not let your account use the USB device. Copy the udev rule that comes with Keen Larder (packaging/70-keen-larder.rules) to /etc/udev/rules.d, then put the cable in again.',
      };
    case 'second':
      return { title: 'the same phone by a second way', sentence: 'The first way is used.' };
    case 'other':
      return {
        title: 'is in a state of its own',
        sentence: 'It is neither started nor in recovery. Look at its screen, and restart it if need be.',
      };
    case 'unreadable':
      return {
        title: 'says what no phone says',
        sentence:
          'What it answers cannot be read, so nothing is done with it. Look whether the address is right. The log file has its words.',
      };
  }
}

/** States that somebody at the bench has to do something about. */
export const wantsHands = (state: ConnectionState): boolean =>
  ['asks', 'silent', 'held', 'offline', 'no permissions', 'unreadable'].includes(state);

/** The state of a phone as an adb server words it (AOSP packages/modules/adb, adb.h, ConnectionState). */
export function servedState(word: string): ConnectionState | 'open' {
  if (word === 'device' || word === 'recovery' || word === 'rescue') return 'open';
  if (word === 'unauthorized' || word === 'authorizing') return 'asks';
  if (word === 'offline' || word === 'connecting') return 'offline';
  if (word.startsWith('no permissions')) return 'no permissions';
  return 'other';
}

/** What the state of this computer's adb server means for phones, behind its name. */
export const adbServerWords: Readonly<Record<'running' | 'missing' | 'silent' | 'not followed', string>> = {
  running: 'runs: phones on USB appear by themselves.',
  missing: 'does not run. For wireless debugging start it by “adb start-server”.',
  silent: 'does not answer. End it by “adb kill-server”; it may be started again by “adb start-server”.',
  'not followed': 'is not followed by this start of the program; addresses are.',
};

/** What the state of USB means, in a sentence. @param why in the system's words */
export function usbWords(
  state: 'followed' | 'unavailable' | 'not followed',
  why: string | undefined,
): string {
  switch (state) {
    case 'followed':
      return 'USB is watched: bootloaders always, phones with USB debugging where no adb server has them.';
    case 'unavailable':
      return `This computer gives no access to USB (${why ?? 'it does not say why'}): phones come through an adb server or over addresses.`;
    case 'not followed':
      return 'USB itself is not watched by this start of the program.';
  }
}

/** What it means that udev rules were found, or not. */
export const udevWords: Readonly<Record<'found' | 'missing' | 'not needed', string>> = {
  found: 'udev rules for phones are there.',
  missing:
    'No udev rules for phones were found: without them only root may use USB. Copy packaging/70-keen-larder.rules to /etc/udev/rules.d.',
  'not needed': '',
};

/** Whether a phone that is plugged in now would show, and what to do where it would not. */
export function usbReadiness(
  adbServer: keyof typeof adbServerWords,
  usb: {
    readonly state: 'followed' | 'unavailable' | 'not followed';
    readonly rules: 'found' | 'missing' | 'not needed';
  },
): { readonly ready: boolean; readonly text: string } {
  if (adbServer === 'running') return { ready: true, text: 'Ready: the adb server runs. Plug a phone in.' };
  if (usb.rules === 'missing')
    return {
      ready: false,
      text: 'This account may not use phones on USB yet. Install the rule, then plug the phone in again:',
    };
  return usb.state === 'followed'
    ? { ready: true, text: 'Ready: USB is watched. Plug a phone in.' }
    : { ready: false, text: 'Phones on USB would not show. Start the adb server:' };
}
