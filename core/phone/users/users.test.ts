import { describe, expect, it } from 'vitest';
import { bansOf, owner, parseUserDump, userText } from './users.ts';

// After UserManagerService.dump (AOSP frameworks/base); the words between are from memory.
const android9 = `Current user: 0
Users:
  UserInfo{0:Mara:13} serialNo=0 isPrimary=true
    State: RUNNING_UNLOCKED
    Created: <unknown>
    Last logged in: +2h3m ago
    Has profile owner: false
    Restrictions:
      none
    Device policy global restrictions:
      null
    Device policy local restrictions:
      null
    Effective restrictions:
      none
  UserInfo{10:Work: harbour office:30} serialNo=10
    State: RUNNING_UNLOCKED
    Has profile owner: true
    Restrictions:
      no_wallpaper
    Device policy local restrictions:
      no_install_apps
    Effective restrictions:
      no_install_apps
      no_wallpaper
    Account name: none
  UserInfo{11:Boat club:10} serialNo=11
    State: -1
    Has profile owner: false
    Effective restrictions:
      none
  UserInfo{12:Guest:414} serialNo=12 <removing> <partial>
    State: -1

  Device owner id:-10000
  Guest restrictions:
    no_sms
`;
const android14 = `Current user: 0
Users:
  UserInfo{0:null:4c13} serialNo=0 isPrimary=true
    Type: android.os.usertype.full.SYSTEM
    Flags: 19475 (ADMIN|FULL|INITIALIZED|MAIN|PRIMARY|SYSTEM)
    State: RUNNING_UNLOCKED
    Unlock time: +1d2h ago
    Has profile owner: false
    Effective restrictions:
      none
  UserInfo{10:null:1030} serialNo=10 isPrimary=false parentId=0
    Type: android.os.usertype.profile.MANAGED
    Flags: 4144 (INITIALIZED|MANAGED_PROFILE|PROFILE)
    State: RUNNING_LOCKED
    Has profile owner: true
    Effective restrictions:
      no_debugging_features
      no_install_unknown_sources
  UserInfo{11:Doubles:1010} serialNo=11 isPrimary=false parentId=0
    Type: android.os.usertype.profile.CLONE
    State: RUNNING_UNLOCKED
    Effective restrictions:
      none
`;

describe('users of a phone', () => {
  it('are read as Android 9 prints them, those that are being removed left out', () => {
    expect(parseUserDump(android9)).toEqual([
      { id: 0, name: 'Mara', kind: 'owner', isOpen: true, isManaged: false, bans: [] },
      {
        ...{ id: 10, name: 'Work: harbour office', kind: 'work', isOpen: true, isManaged: true },
        bans: ['no_install_apps', 'no_wallpaper'],
      },
      { id: 11, name: 'Boat club', kind: 'second', isOpen: false, isManaged: false, bans: [] },
    ]);
  });

  it('are read as Android 14 prints them, with words of ours where they have no name', () => {
    const [first, work, other] = parseUserDump(android14);
    expect(first).toEqual(owner);
    expect(work).toMatchObject({ name: 'Work profile', kind: 'work', isOpen: false });
    expect(other).toMatchObject({ name: 'Doubles', kind: 'profile', isOpen: true });
    expect(bansOf(work!, 'reach')).toEqual(['no_debugging_features']);
    expect(bansOf(work!, 'install')).toEqual([]);
    expect(userText(work!)).toBe('Work profile (user 10)');
  });

  it.each(['', "Can't find service: user\n", '  UserInfo{x:a:1}\n', '  UserInfo{10:\n    State: RUNNING'])(
    'are the owner alone where a phone tells of nobody: %j',
    (text) => expect(parseUserDump(text)).toEqual([owner]),
  );
});
