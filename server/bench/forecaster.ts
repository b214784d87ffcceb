import { createHash } from 'node:crypto';
import { setTimeout as pause } from 'node:timers/promises';
import type { Put } from '@keen-larder/contract/requests/restoring.ts';
import {
  bootableSlot,
  bootControlOf,
  forecastStart,
  rollbackIndexes,
  signingKey,
  type BootFlash,
  type Forecast,
  type Slot,
} from '@keen-larder/core/boot/boot.ts';
import { overlaid, type ByteSource } from '@keen-larder/core/bytes/source.ts';
import type { PartitionFacts } from '@keen-larder/core/phone/facts.ts';
import { imageSource } from '../larder/inside/image-source.ts';
import type { Larder } from '../larder/larder.ts';
import type { Bench } from './bench.ts';
import { DamagedImage, PhoneFailure } from '../failures.ts';

/** What the boot area outside the partition table is called as an image. */
const earlyLoaderNames = ['preloader', 'mmcblk0boot0'];
/** A forecast that takes longer is none. */
const longestMs = 20_000;
/** Of every image, what is at hand for its tables to be read over again. */
const keptChunks = 8;

/** What is to lie over what is on the phone. */
export interface Plan {
  readonly puts: readonly Put[];
  readonly activate?: Slot | undefined;
  /** As it would be with its bootloader locked. */
  readonly locked?: true;
}

/** How a phone starts, and what its verified-boot metadata counts. */
export interface Outlook {
  readonly forecast: Forecast;
  /** The slot that starts; undefined where there are none. */
  readonly slot: Slot | undefined;
  /** Rollback indexes by location. */
  readonly rollback: ReadonlyMap<number, bigint>;
  /** SHA-256 of the key that signs its verified-boot metadata; lower-case hexadecimal. */
  readonly keyDigest: string | undefined;
}

/** Forecasts starts from what is on a phone, and from what would be there after a plan. */
export class Forecaster {
  /** By the phone's list of partitions, which is another one once anything was written. */
  private readonly known = new WeakMap<
    readonly PartitionFacts[],
    Map<string, Promise<Outlook | undefined>>
  >();

  private readonly sources = new WeakMap<readonly PartitionFacts[], Map<string, ByteSource>>();

  constructor(
    private readonly bench: Bench,
    private readonly larder: Larder,
  ) {}

  async forecast(serial: string, plan?: Plan): Promise<Forecast | undefined> {
    return (await this.outlook(serial, plan))?.forecast;
  }

  /** Undefined where the mode reads nothing, or the phone cannot be read. */
  async outlook(serial: string, plan?: Plan): Promise<Outlook | undefined> {
    if (!this.bench.link(serial).partitions) return undefined;
    const partitions = await this.bench.partitions(serial);
    const known = this.known.get(partitions) ?? new Map<string, Promise<Outlook | undefined>>();
    this.known.set(partitions, known);
    const key = plan ? JSON.stringify([[...plan.puts].map(keyOf).sort(), plan.activate, plan.locked]) : '';
    const earlier = known.get(key);
    if (earlier) return earlier;
    const found = this.judge(serial, partitions, plan).catch((error: unknown) => {
      known.delete(key);
      if (error instanceof PhoneFailure || error instanceof DamagedImage) return undefined;
      throw error;
    });
    // A phone that says nothing must not hold up the run sheet, and only once at that.
    const inTime = Promise.race([found, pause(longestMs, undefined, { ref: false })]);
    known.set(key, inTime);
    void found.then(
      (outlook) => outlook && known.set(key, found),
      () => undefined,
    );
    return inTime;
  }

  private async judge(
    serial: string,
    partitions: readonly PartitionFacts[],
    plan: Plan | undefined,
  ): Promise<Outlook> {
    const access = this.bench.access(serial);
    const { bootloaderUnlocked } = this.bench.facts(serial).condition;
    const sources = this.sourcesOf(partitions);
    const present = flashOf((name) => {
      const partition = partitions.find((each) => each.name === name);
      return partition && sources(name, () => access.source(name, partition.bytes));
    });
    const slots = partitions.some(({ name }) => name === 'boot_a');
    const planned = plan ? this.withPlan(present, plan, sources) : present;
    const slotOf = async (flash: BootFlash) => {
      const misc = slots ? await flash.partition('misc') : undefined;
      return slots ? ((misc && (await bootableSlot(misc))) ?? 'a') : undefined;
    };
    const [before, slot] = [await slotOf(present), await slotOf(planned)];
    const suffix = (of: Slot | undefined) => (of ? `_${of}` : '');
    const key = await signingKey(planned, suffix(slot));
    return {
      slot,
      keyDigest: key && createHash('sha256').update(key).digest('hex'),
      forecast: await forecastStart(planned, {
        slots,
        // One that does not say whether it is locked is taken for locked.
        locked: plan?.locked ?? bootloaderUnlocked !== true,
        makerKey: (await signingKey(present, suffix(before))) ?? key,
      }),
      rollback: await rollbackIndexes(planned, suffix(slot)),
    };
  }

  /** The same source for the same bytes, so that what was found of them is not found again. */
  private sourcesOf(partitions: readonly PartitionFacts[]) {
    const known = this.sources.get(partitions) ?? new Map<string, ByteSource>();
    this.sources.set(partitions, known);
    return (key: string, make: () => ByteSource): ByteSource => {
      const source = known.get(key) ?? make();
      known.set(key, source);
      return source;
    };
  }

  private withPlan(
    present: BootFlash,
    { puts, activate }: Plan,
    sources: (key: string, make: () => ByteSource) => ByteSource,
  ): BootFlash {
    const { larder } = this;
    return flashOf(async (name) => {
      const put = puts.find(({ partition, onto }) => (onto ?? partition) === name);
      const source = put
        ? sources(`${put.setId} ${put.partition}`, () =>
            imageSource(larder.shelf, larder.image(put.setId, put.partition), keptChunks),
          )
        : await present.partition(name);
      if (name !== 'misc' || !activate || !source) return source;
      const { offset, bytes } = bootControlOf(activate);
      return overlaid(source, offset, bytes);
    });
  }
}

const keyOf = ({ setId, partition, onto }: Put) => `${setId} ${partition} ${onto ?? partition}`;

type Sources = (name: string) => ByteSource | undefined | Promise<ByteSource | undefined>;

function flashOf(sources: Sources): BootFlash {
  const once = new Map<string, Promise<ByteSource | undefined>>();
  const partition = (name: string) => {
    const known = once.get(name) ?? Promise.resolve(sources(name));
    once.set(name, known);
    return known;
  };
  return {
    partition,
    async earlyLoader() {
      for (const name of earlyLoaderNames) {
        const source = await partition(name);
        if (source) return source;
      }
      return undefined;
    },
  };
}
