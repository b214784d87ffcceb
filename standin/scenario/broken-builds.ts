import { makeBootImage, type BootBuild } from '../firmware/boot-images.ts';
import { filler } from '../firmware/filler.ts';
import type { Flash } from '../flash/flash.ts';

/** Something that goes wrong at a bench: what it does to the flash, and why a phone then fails. */
export interface BrokenBuild {
  readonly id: string;
  readonly title: string;
  readonly sentence: string;
  apply(flash: Flash): Promise<void>;
}

const nextAndroid: BootBuild = {
  kind: 'boot',
  version: '10.0.0',
  patchLevel: '2026-09',
  build: 'TW4.260905.001',
  seed: 401,
};

export const brokenBuilds: readonly BrokenBuild[] = [
  {
    id: 'half-firmware',
    title: 'Half a firmware',
    sentence: 'boot of Android 10, and a system whose writing broke off: restarts for ever.',
    async apply(flash) {
      await flash.partition('boot')!.write(0, makeBootImage(nextAndroid));
      const system = flash.partition('system')!;
      for (let mebibyte = 0; mebibyte < 40; mebibyte++) {
        await system.write(mebibyte << 20, filler('program', 4000 + mebibyte, 1 << 20));
      }
    },
  },
  {
    id: 'wrong-kernel',
    title: 'Kernel of another build',
    sentence: 'boot of Android 10 over a system of Android 9: the link comes and goes.',
    apply: (flash) => flash.partition('boot')!.write(0, makeBootImage(nextAndroid)),
  },
  {
    id: 'no-boot',
    title: 'Boot wiped',
    sentence: 'The boot partition is empty: nothing starts, recovery still does.',
    async apply(flash) {
      const boot = flash.partition('boot')!;
      await boot.write(0, new Uint8Array(boot.bytes));
    },
  },
];
