import { describe, expect, it } from 'vitest';
import { conditionFrom, conditionText } from './facts.ts';
import { parseGetprop, parseProperties } from './properties.ts';
import { keysFor } from './keys.ts';
import { abilitiesOf, modesToReach, modeUse, modeWords } from './modes.ts';
import { isNeverWritten, roleOf, splitSlot, tableImageName, whyNeverWritten } from './roles.ts';

describe('modes', () => {
  it('says what each allows', () => {
    expect(modeWords('recovery', true)).toBe('partitions read and write · apps and records need system mode');
    expect(modeWords('system', true)).toBe('partitions read only · apps and records read and write');
    expect(modeWords('system', false)).toBe(
      'partitions not readable without root · of apps the programs and what they back up, of records what the system shares',
    );
    expect(modeWords('bootloader', false)).toContain('write only');
  });

  it('puts first what is likeliest to help', () => {
    expect(modesToReach(false)[0]).toBe('recovery');
    expect(modesToReach(true)[0]).toBe('loader');
    expect(modeUse('recovery', true)).toContain('gives no root');
    expect(modeUse('recovery', false)).toContain('every partition');
  });
});

describe('roles', () => {
  it.each([
    ['boot', 'boot-chain'],
    ['vbmeta_system_b', 'boot-chain'],
    ['super', 'system'],
    ['userdata', 'user-data'],
    ['modemst2', 'identity'],
    ['NVRAM', 'identity'],
    ['modem_a', 'radio'],
    ['xbl_config_a', 'early-loader'],
    ['cache', 'scratch'],
    ['frp', 'other'],
    ['something_else', 'other'],
  ])('%s is %s', (name, role) => expect(roleOf(name)).toBe(role));

  it('splits slots off, and only those', () => {
    expect(splitSlot('boot_a')).toEqual({ base: 'boot', slot: 'a' });
    expect(splitSlot('vendor_boot')).toEqual({ base: 'vendor_boot', slot: undefined });
    expect(isNeverWritten('frp')).toBe(true);
    expect(isNeverWritten('boot')).toBe(false);
    expect(isNeverWritten(tableImageName('primary'))).toBe(true);
    expect(whyNeverWritten(tableImageName('backup', 'sda'))).toMatch(/partition table/);
    expect(isNeverWritten('gpt')).toBe(false);
  });
});

describe('modes', () => {
  it('takes reading away from a system without root', () => {
    expect(abilitiesOf('system', true)).toMatchObject({ read: true, write: false });
    expect(abilitiesOf('system', false)).toMatchObject({ read: false, apps: false });
    expect(abilitiesOf('recovery', true)).toMatchObject({ read: true, write: true });
    expect(abilitiesOf('bootloader', true)).toMatchObject({ read: false, write: true, link: 'fastboot' });
  });
});

describe('condition', () => {
  const stock = {
    'ro.build.version.release': '9',
    'ro.build.display.id': 'TideOS 9 X',
    'ro.build.tags': 'release-keys',
    'ro.build.version.security_patch': '2026-03-05',
  };

  it('tells stock, rooted and custom apart', () => {
    expect(conditionFrom(stock, false).kind).toBe('stock');
    expect(conditionFrom(stock, true).kind).toBe('rooted');
    expect(conditionFrom({ ...stock, 'ro.build.tags': 'test-keys' }, true).kind).toBe('custom');
    expect(conditionFrom({}, undefined)).toEqual({ kind: 'unknown' });
    expect(conditionText(conditionFrom(stock, true))).toBe('rooted 9');
    expect(conditionText({ kind: 'unknown' })).toBe('condition unknown');
  });

  it('knows the lock by any of the usual properties, and says nothing otherwise', () => {
    expect(conditionFrom({ ...stock, 'ro.boot.verifiedbootstate': 'orange' }, false).bootloaderUnlocked).toBe(
      true,
    );
    expect(conditionFrom({ ...stock, 'ro.boot.flash.locked': '1' }, false).bootloaderUnlocked).toBe(false);
    expect(conditionFrom(stock, false)).not.toHaveProperty('bootloaderUnlocked');
    expect(conditionFrom({ ...stock, 'ro.crypto.state': 'encrypted' }, false).encrypted).toBe(true);
  });

  it('reads property files and getprop, passing over what is none', () => {
    expect(parseProperties('# x\na.b=1\n\nbroken\n c = d=e \n')).toEqual({ 'a.b': '1', c: 'd=e' });
    expect(parseGetprop('[ro.a]: [1]\n[ro.b]: []\nnoise\n[ro.c]: [x]y]\r\n')).toEqual({
      'ro.a': '1',
      'ro.b': '',
      'ro.c': 'x]y',
    });
  });

  it('knows the keys of a model, and the usual ones of any other', () => {
    expect(keysFor('Tidewell', 'Knot 3', 'recovery')).toMatch(/Volume up/);
    expect(keysFor('Nobody', 'Nothing', 'recovery')).toMatch(/Volume up/);
    expect(keysFor('Nobody', 'Nothing', 'loader')).toBeUndefined();
  });
});
