import { describe, expect, it } from 'vitest';
import { mergedPackages, packageText, readPackageMetadata, readRequirements } from './package-metadata.ts';

describe('what a package of firmware says of itself', () => {
  it('is told of an update (its form: AOSP, build/make, ota_utils.py)', () => {
    const facts = readPackageMetadata(
      [
        'ota-required-cache=0',
        'ota-type=AB',
        'ota-wipe=yes',
        'post-build=Quern/knot5/knot5:14/QK5.260501/1205:user/release-keys',
        'post-sdk-level=34',
        'post-security-patch-level=2026-05-01',
        'post-timestamp=1777593600',
        'pre-device=knot5,knot5x',
        '',
      ].join('\n'),
    );
    expect(facts).toMatchObject({ devices: ['knot5', 'knot5x'], sdk: 34, wipes: true, isIncremental: false });
    expect(packageText(facts)).toEqual([
      'It installs Quern/knot5/knot5:14/QK5.260501/1205:user/release-keys, of the security level 2026-05-01.',
      'It is for knot5 or knot5x.',
      'It erases user data.',
    ]);
    expect(readPackageMetadata('pre-build=Quern/x\n').isIncremental).toBe(true);
  });

  it('is told of a package of images (its form: AOSP, fastboot)', () => {
    const text =
      'require board=knot5|knot5x\nrequire version-bootloader=kb-1.4|kb-1.5\nrequire version-baseband=m7\n';
    expect(packageText(readRequirements(text))).toEqual([
      'It is for knot5 or knot5x.',
      'It asks for bootloader kb-1.4 or kb-1.5.',
      'It asks for baseband m7.',
    ]);
  });

  it('is one where it stands in several places', () => {
    const [update, images] = [
      readPackageMetadata('post-build=b\npre-device=knot5\nota-wipe=yes\n'),
      readRequirements('require board=knot5|knot5x\nrequire version-bootloader=kb-1.4\n'),
    ];
    expect(mergedPackages([update, images])).toEqual({
      build: 'b',
      devices: ['knot5', 'knot5x'],
      isIncremental: false,
      wipes: true,
      isDowngrade: false,
      requires: [{ what: 'bootloader', versions: ['kb-1.4'] }],
    });
    expect(mergedPackages([])).toBeUndefined();
  });

  it('is nothing where it says nothing', () => {
    expect(packageText(readPackageMetadata('no lines of it'))).toEqual([]);
    expect(packageText(readRequirements(''))).toEqual([]);
  });
});
