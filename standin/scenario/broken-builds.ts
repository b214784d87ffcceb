import { bootControlOf } from '@keen-larder/core/boot/boot.ts';
import { makeBootImage, makeModernBoot, stockBoot, type BootBuild } from '../firmware/boot-images.ts';
import { firmwareBuilds, knot3, knot5, type FirmwareBuild } from '../firmware/builds.ts';
import { buildProp } from '../firmware/system-contents.ts';
import { filler } from '../firmware/filler.ts';
import { makeSigningMetadata } from '../firmware/verified-chain.ts';
import { logicalDevice, programOf } from '../flash/compose.ts';
import { overwriteFile } from '../flash/file-writes.ts';
import type { Device, Flash } from '../flash/flash.ts';
import { models, type Model } from '../models.ts';

/** Something that goes wrong at a bench: what it does to the flash, and why a phone then fails. */
export interface BrokenBuild {
  readonly id: string;
  readonly title: string;
  readonly sentence: string;
  /** Whether it can happen to a model. */
  fits(model: Model): boolean;
  apply(flash: Flash, model: Model): Promise<void>;
}

const any = () => true;
const zeroBytes = 1 << 20;

/** What a model left the works with. */
const buildOf = ({ product }: Model): FirmwareBuild =>
  Object.values(firmwareBuilds).find((build) => build.product === product)!;

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
const systemOf = async (flash: Flash): Promise<Device> =>
  flash.partition('system') ?? (await logicalDevice(flash.partition('super')!, 'system_a'))!;

async function wipe(device: Device, from = 0): Promise<void> {
  for (let at = from; at < device.bytes; at += zeroBytes) {
    await device.write(at, new Uint8Array(Math.min(zeroBytes, device.bytes - at)));
  }
}

/** A boot that its maker has signed, where the phone asks for that, though it is not this system's. */
async function flashBoot(flash: Flash, model: Model, build: BootBuild): Promise<void> {
  const image = model.slots ? makeModernBoot(build).boot : makeBootImage(build);
  await bootOf(flash, model).write(0, image);
  const vbmeta = flash.partition('vbmeta');
  if (vbmeta) {
    const recovery = flash.partition('recovery')!;
    const images = { boot: image, recovery: await recovery.read(0, recovery.bytes) };
    await vbmeta.write(0, makeSigningMetadata(buildOf(model), images, model.makerKey!));
  }
}

export const brokenBuilds: readonly BrokenBuild[] = [
  {
    id: 'half-firmware',
    title: 'Half a firmware',
    sentence: 'boot of another Android, and a system whose writing broke off: restarts over and over.',
    fits: any,
    async apply(flash, model) {
      await flashBoot(flash, model, nextAndroid(model));
      const system = flash.partition('system') ?? flash.partition('super')!;
      for (let mebibyte = 0; mebibyte < 40; mebibyte++) {
        await system.write(mebibyte << 20, filler('program', 4000 + mebibyte, 1 << 20));
      }
    },
  },
  {
    id: 'wrong-kernel',
    title: 'Kernel of another build',
    sentence: 'boot of another Android than the system: the link comes and goes.',
    fits: any,
    apply: (flash, model) => flashBoot(flash, model, nextAndroid(model)),
  },
  {
    id: 'no-boot',
    title: 'Boot wiped',
    sentence: 'The boot partition is empty: nothing starts; recovery still does where it has its own.',
    fits: any,
    apply: (flash, model) => wipe(bootOf(flash, model)),
  },
  {
    id: 'wrong-slot',
    title: 'Wrong slot',
    sentence: 'The empty slot was made the active one and the good one marked as not bootable.',
    fits: ({ slots }) => slots,
    async apply(flash) {
      const { offset, bytes } = bootControlOf('b', false);
      await flash.partition('misc')!.write(offset, bytes);
    },
  },
  {
    id: 'old-early-loader',
    title: 'Older early loader',
    sentence: 'An early loader of the Android before: only loader mode answers.',
    fits: ({ earlyLoader }) => earlyLoader !== undefined,
    async apply(flash, model) {
      const { release, id } = buildOf(model);
      const older = { release: String(Number(release) - 1), id };
      const program = programOf({ ...model.earlyLoader!, seed: 402, says: true }, older);
      await flash.earlyLoader!.write(0, program);
    },
  },
  {
    id: 'short-system',
    title: 'System cut short',
    sentence: 'The writing of system broke off after its first part: the kernel finds no framework.',
    fits: any,
    async apply(flash) {
      const system = await systemOf(flash);
      // Tables of the file system lie in front, its files behind them.
      await wipe(system, 8 << 20);
    },
  },
  {
    id: 'unsigned-boot',
    title: 'Unsigned boot on a locked phone',
    sentence: 'A boot that its maker did not sign: the locked bootloader goes no further.',
    fits: ({ bootloaderLocked, makerKey }) => bootloaderLocked && makerKey !== undefined,
    apply: (flash, model) =>
      bootOf(flash, model).write(0, makeBootImage({ ...stockBoot(buildOf(model)), seed: 403 })),
  },
  {
    id: 'no-identity',
    title: 'Identity wiped',
    sentence: 'The partition with the IMEI is empty: it starts, and reaches no network.',
    fits: ({ imei }) => imei !== undefined,
    apply: (flash, { imei }) => wipe(flash.partition(imei!.partition)!),
  },
  {
    id: 'foreign-properties',
    title: 'Properties of another model',
    sentence: 'build.prop of another model: it starts, and takes itself for what it is not.',
    fits: any,
    async apply(flash, model) {
      const product = model.product === knot3 ? knot5 : knot3;
      const system = await systemOf(flash);
      const own = buildOf(model);
      // Of another length than what it takes the place of, hence the comment that fills it up.
      const text = buildProp({ ...own, product });
      const room = buildProp(own).length;
      const fitting =
        text.length > room ? text.slice(0, room - 1) : text + '#'.repeat(room - text.length - 1);
      await overwriteFile(system, '/build.prop', 0, Buffer.from(`${fitting}\n`));
    },
  },
];

/** Models by their names, as the practice bench tells which build fits which phone. */
export const modelNamesOf = ({ fits }: BrokenBuild): string[] =>
  Object.values(models)
    .filter((model) => fits(model))
    .map(({ product }) => product.model);
