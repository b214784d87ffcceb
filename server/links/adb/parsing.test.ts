import { describe, expect, it } from 'vitest';
import { parseByName, parseDumpsysBattery, parseKernelBattery, parseMounts } from './parsing.ts';
import { quote } from './commands.ts';

describe('what phones print', () => {
  it('names and nodes of partitions, whatever the columns before them', () => {
    const listing = [
      'total 0',
      'lrwxrwxrwx 1 root root 21 1970-01-01 00:00 boot -> /dev/block/mmcblk0p14',
      'lrwxrwxrwx root     root              2026-01-01 00:00 system_a -> /dev/block/sda12\r',
      'drwxr-xr-x 2 root root 40 1970-01-01 00:00 folder',
      'lrwxrwxrwx 1 root root 21 1970-01-01 00:00 odd -> ../elsewhere',
    ].join('\n');
    expect([...parseByName(listing)]).toEqual([
      ['boot', '/dev/block/mmcblk0p14'],
      ['system_a', '/dev/block/sda12'],
    ]);
    expect(parseByName('ls: /dev/block/by-name: Permission denied').size).toBe(0);
  });

  it('mounts, and whether they may be written', () => {
    const mounts = parseMounts(
      [
        'rootfs / rootfs ro,seclabel 0 0',
        '/dev/block/mmcblk0p18 /data ext4 rw,seclabel,nosuid 0 0',
        'short line',
        '/dev/block/mmcblk0p17 /system ext4 ro,relatime,prw 0 0',
        '',
      ].join('\n'),
    );
    expect(mounts.map(({ at, writable }) => [at, writable])).toEqual([
      ['/', false],
      ['/data', true],
      ['/system', false],
    ]);
  });

  it.each([
    ['  status: 2\n  level: 82\n  scale: 100', { percent: 82, charging: true }],
    ['  status: 5\n  level: 100\n  scale: 100', { percent: 100, charging: true }],
    ['  status: 3\n  level: 50\n  scale: 200', { percent: 25, charging: false }],
    ['  level: 7', { percent: 7, charging: false }],
    ["Can't find service: battery", undefined],
  ])('dumpsys battery: %j', (text, battery) => expect(parseDumpsysBattery(text)).toEqual(battery));

  it.each([
    ['82\nCharging\n', { percent: 82, charging: true }],
    ['100\nFull\n', { percent: 100, charging: true }],
    ['14\nNot charging\n', { percent: 14, charging: false }],
    ['cat: No such file', undefined],
    ['', undefined],
  ])('the kernel’s files: %j', (text, battery) => expect(parseKernelBattery(text)).toEqual(battery));

  it('quotes words so that the phone’s shell takes them as they are', () => {
    expect(quote('/dev/block/by-name/boot')).toBe("'/dev/block/by-name/boot'");
    expect(quote("it's $HOME; reboot")).toBe("'it'\\''s $HOME; reboot'");
  });
});
