import type { AppPermission } from './facts.ts';

/** Permissions for one matter, and what they come to. */
export interface PermissionKind {
  readonly id: string;
  readonly title: string;
  readonly meaning: string;
  /** Android lets the owner decide on these while the app is used. */
  readonly isAsked: boolean;
}

interface Group extends PermissionKind {
  /** Without `android.permission.` before them. */
  readonly names: readonly string[];
}

const group = (
  id: string,
  title: string,
  meaning: string,
  names: string,
  isAsked: 'asked' | 'not asked' = 'asked',
): Group => ({ id, title, meaning, isAsked: isAsked === 'asked', names: names.split(' ') });

/** After the platform's own groups (AOSP, frameworks/base/core/res/AndroidManifest.xml, permission-group). */
const groups: readonly Group[] = [
  group(
    'location',
    'Location',
    'Where the phone is.',
    'ACCESS_FINE_LOCATION ACCESS_COARSE_LOCATION ACCESS_BACKGROUND_LOCATION ACCESS_MEDIA_LOCATION',
  ),
  group('camera', 'Camera', 'Takes pictures and films.', 'CAMERA BACKGROUND_CAMERA'),
  group('microphone', 'Microphone', 'Hears and records sound.', 'RECORD_AUDIO RECORD_BACKGROUND_AUDIO'),
  group(
    'contacts',
    'Contacts',
    'Reads or changes the address book.',
    'READ_CONTACTS WRITE_CONTACTS GET_ACCOUNTS',
  ),
  group('calendar', 'Calendar', 'Reads or changes appointments.', 'READ_CALENDAR WRITE_CALENDAR'),
  group(
    'messages',
    'Messages',
    'Reads, receives or sends text messages; sending may cost.',
    'READ_SMS RECEIVE_SMS SEND_SMS RECEIVE_MMS RECEIVE_WAP_PUSH',
  ),
  group(
    'calls',
    'Calls',
    'Makes calls, sees who calls, reads the call log and the phone’s numbers.',
    'CALL_PHONE READ_CALL_LOG WRITE_CALL_LOG PROCESS_OUTGOING_CALLS READ_PHONE_STATE READ_PHONE_NUMBERS ANSWER_PHONE_CALLS ADD_VOICEMAIL USE_SIP ACCEPT_HANDOVER',
  ),
  group(
    'files',
    'Files and pictures',
    'Reads or changes what lies in shared storage.',
    'READ_EXTERNAL_STORAGE WRITE_EXTERNAL_STORAGE MANAGE_EXTERNAL_STORAGE READ_MEDIA_IMAGES READ_MEDIA_VIDEO READ_MEDIA_AUDIO READ_MEDIA_VISUAL_USER_SELECTED',
  ),
  group(
    'body',
    'Body and movement',
    'Steps, pulse and other sensors.',
    'BODY_SENSORS BODY_SENSORS_BACKGROUND ACTIVITY_RECOGNITION',
  ),
  group(
    'nearby',
    'Devices nearby',
    'Finds devices around and connects to them.',
    'BLUETOOTH_SCAN BLUETOOTH_CONNECT BLUETOOTH_ADVERTISE UWB_RANGING NEARBY_WIFI_DEVICES',
  ),
  group('notifications', 'Notifications', 'Shows notifications.', 'POST_NOTIFICATIONS'),
  group(
    'network',
    'Network',
    'Sends and fetches over the network.',
    'INTERNET ACCESS_NETWORK_STATE ACCESS_WIFI_STATE CHANGE_WIFI_STATE CHANGE_NETWORK_STATE BLUETOOTH BLUETOOTH_ADMIN NFC',
    'not asked',
  ),
  group(
    'identity',
    'Fingerprint and face',
    'Asks the phone to make sure of its owner; it sees the answer, not the finger.',
    'USE_BIOMETRIC USE_FINGERPRINT',
    'not asked',
  ),
  group(
    'running',
    'Running by itself',
    'Starts with the phone, keeps it awake, runs while others are in front.',
    'RECEIVE_BOOT_COMPLETED WAKE_LOCK FOREGROUND_SERVICE SCHEDULE_EXACT_ALARM USE_EXACT_ALARM VIBRATE REQUEST_IGNORE_BATTERY_OPTIMIZATIONS',
    'not asked',
  ),
  group(
    'reach',
    'Reach into the system',
    'Draws over other apps, changes settings, installs apps or stands in for a part of the system.',
    'SYSTEM_ALERT_WINDOW WRITE_SETTINGS WRITE_SECURE_SETTINGS REQUEST_INSTALL_PACKAGES INSTALL_PACKAGES DELETE_PACKAGES PACKAGE_USAGE_STATS QUERY_ALL_PACKAGES BIND_APPWIDGET BIND_ACCESSIBILITY_SERVICE BIND_DEVICE_ADMIN BIND_NOTIFICATION_LISTENER_SERVICE BIND_VPN_SERVICE BIND_INPUT_METHOD',
    'not asked',
  ),
];
const other: PermissionKind = {
  id: 'other',
  title: 'Others',
  meaning: 'The app’s own, its maker’s, or lesser ones of the platform.',
  isAsked: false,
};
const kindOf = new Map<string, PermissionKind>(
  groups.flatMap((each) => each.names.map((name) => [`android.permission.${name}`, each] as const)),
);

/** Permissions of one kind that an app asks for. */
export interface AskedKind {
  readonly kind: PermissionKind;
  readonly permissions: readonly AppPermission[];
}

/** What an app asks for, by kind; those that the owner decides on come first, what belongs to none last. */
export function permissionsByKind(permissions: readonly AppPermission[]): AskedKind[] {
  const found = new Map<PermissionKind, AppPermission[]>();
  for (const each of permissions) {
    const kind = kindOf.get(each.name) ?? other;
    const list = found.get(kind);
    if (list) list.push(each);
    else found.set(kind, [each]);
  }
  return [...groups, other].flatMap((kind) => {
    const asked = found.get(kind);
    return asked ? [{ kind, permissions: asked }] : [];
  });
}
