import { setTimeout as pause } from 'node:timers/promises';
import { gunzipSync } from 'node:zlib';
import {
  activeSlot,
  forecastStart,
  signingKey,
  type BootFlash,
  type Forecast,
} from '@keen-larder/core/boot/index.ts';
import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import type { ByteSource } from '@keen-larder/core/bytes/source.ts';
import type { PartitionFacts } from '@keen-larder/core/phone/facts.ts';
import { imageSource } from '../larder/image-source.ts';
import type { Larder } from '../larder/larder.ts';
import { LinkFailure } from '../links/phone-link.ts';
import { DamagedImage } from '../shelf/image-reader.ts';
import type { Bench } from './bench.ts';

/** What the boot area outside the partition table is called as an image. */
const earlyLoader = 'preloader';
/** A forecast that takes longer is none. */
const longestMs = 20_000;
const maxUnpackedBytes = 256 << 20;

/** Images of a set that are to lie over what is on the phone. */
export interface Overlay {
  readonly setId: string;
  readonly picked: readonly string[];
}

/** Forecasts starts from what is on a phone, and from what would be there after a plan. */
export class Forecaster {
  /** By the phone's list of partitions, which is another one once anything was written. */
  private readonly known = new WeakMap<
    readonly PartitionFacts[],
    Map<string, Promise<Forecast | undefined>>
  >();

  constructor(
    private readonly bench: Bench,
    private readonly larder: Larder,
  ) {}

  /** Undefined where the mode reads nothing, or the phone cannot be read. */
  async forecast(serial: string, overlay?: Overlay): Promise<Forecast | undefined> {
    const access = this.bench.link(serial).partitions;
    if (!access) return undefined;
    const partitions = await this.bench.partitions(serial);
    const known = this.known.get(partitions) ?? new Map<string, Promise<Forecast | undefined>>();
    this.known.set(partitions, known);
    const key = overlay ? `${overlay.setId} ${[...overlay.picked].sort().join(' ')}` : '';
    let found = known.get(key);
    if (!found) {
      const { bootloaderUnlocked } = this.bench.facts(serial).condition;
      const present = flashOf((name) => {
        const partition = partitions.find((each) => each.name === name);
        return partition && access.source(name, partition.bytes);
      });
      // One that does not say whether it is locked is taken for locked.
      found = this.judge(present, overlay, partitions, bootloaderUnlocked !== true).catch(
        (error: unknown) => {
          known.delete(key);
          if (error instanceof LinkFailure || error instanceof DamagedImage) return undefined;
          throw error;
        },
      );
      known.set(key, found);
    }
    // A phone that says nothing must not hold up the run sheet.
    return Promise.race([found, pause(longestMs, undefined, { ref: false })]);
  }

  private async judge(
    present: BootFlash,
    overlay: Overlay | undefined,
    partitions: readonly PartitionFacts[],
    locked: boolean,
  ): Promise<Forecast> {
    const { larder } = this;
    const slots = partitions.some(({ name }) => name === 'boot_a');
    const misc = slots ? await present.partition('misc') : undefined;
    const suffix = slots ? `_${misc ? await activeSlot(misc) : 'a'}` : '';
    const planned = overlay
      ? flashOf((name) =>
          overlay.picked.includes(name)
            ? imageSource(larder.shelf, larder.image(overlay.setId, name))
            : present.partition(name),
        )
      : present;
    return forecastStart(planned, {
      slots,
      locked,
      makerKey: await signingKey(present, suffix),
      gunzip,
    });
  }
}

function gunzip(bytes: Uint8Array): Uint8Array {
  try {
    return gunzipSync(bytes, { maxOutputLength: maxUnpackedBytes });
  } catch (error) {
    throw new FormatError('gzip', 'data', 0, (error as Error).message);
  }
}

type Sources = (name: string) => ByteSource | undefined | Promise<ByteSource | undefined>;

function flashOf(sources: Sources): BootFlash {
  const once = new Map<string, Promise<ByteSource | undefined>>();
  const partition = (name: string) => {
    const known = once.get(name) ?? Promise.resolve(sources(name));
    once.set(name, known);
    return known;
  };
  return { partition, earlyLoader: () => partition(earlyLoader) };
}
