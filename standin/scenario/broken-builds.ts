import { makeBootImage, makeModernBoot, stockBoot, type BootBuild } from '../firmware/boot-images.ts';
import { firmwareBuilds } from '../firmware/builds.ts';
import { filler } from '../firmware/filler.ts';
import type { Flash } from '../flash/flash.ts';
import type { Model } from '../models.ts';

/** Something that goes wrong at a bench: what it does to the flash, and why a phone then fails. */
export interface BrokenBuild {
  readonly id: string;
  readonly title: string;
  readonly sentence: string;
  apply(flash: Flash, model: Model): Promise<void>;
}

/** The kernel of a later Android, for any of the models. */
const nextAndroid = ({ product }: Model): BootBuild => ({
  ...stockBoot(firmwareBuilds['system-march']),
  product,
  version: '15.0.0',
  patchLevel: '2026-10',
  build: 'next',
  seed: 401,
});

/** The boot partition that starts. */
const bootOf = (flash: Flash, { slots }: Model) => flash.partition(slots ? 'boot_a' : 'boot')!;
const systemOf = (flash: Flash) => flash.partition('system') ?? flash.partition('super')!;

export const brokenBuilds: readonly BrokenBuild[] = [
  {
    id: 'half-firmware',
    title: 'Half a firmware',
    sentence: 'boot of another Android, and a system whose writing broke off: restarts for ever.',
    async apply(flash, model) {
      await bootOf(flash, model).write(0, makeBootImage(nextAndroid(model)));
      const system = systemOf(flash);
      for (let mebibyte = 0; mebibyte < 40; mebibyte++) {
        await system.write(mebibyte << 20, filler('program', 4000 + mebibyte, 1 << 20));
      }
    },
  },
  {
    id: 'wrong-kernel',
    title: 'Kernel of another build',
    sentence: 'boot of another Android than the system: the link comes and goes.',
    async apply(flash, model) {
      const build = nextAndroid(model);
      await bootOf(flash, model).write(0, model.slots ? makeModernBoot(build).boot : makeBootImage(build));
    },
  },
  {
    id: 'no-boot',
    title: 'Boot wiped',
    sentence: 'The boot partition is empty: nothing starts; recovery still does where it has its own.',
    async apply(flash, model) {
      const boot = bootOf(flash, model);
      await boot.write(0, new Uint8Array(boot.bytes));
    },
  },
];
