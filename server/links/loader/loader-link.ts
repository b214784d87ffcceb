import { createHash } from 'node:crypto';
import type { ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import { cached, type ByteSource } from '@keen-larder/core/bytes/source.ts';
import { gptRegions, readGpt } from '@keen-larder/core/formats/gpt/gpt.ts';
import {
  conditionFrom,
  makeFrom,
  type PartitionFacts,
  type PhoneFacts,
} from '@keen-larder/core/phone/facts.ts';
import type { Finding, Survey } from '@keen-larder/core/phone/survey.ts';
import type { PhoneMode } from '@keen-larder/core/phone/modes.ts';
import { roleOf, tableImageName, whyNeverWritten } from '@keen-larder/core/phone/roles.ts';
import type { LoaderHello } from '@keen-larder/core/protocols/loader/loader-messages.ts';
import { contentsOf, installedSystem, zerosWhereUnreadable } from '../contents.ts';
import { type Digest, type PartitionAccess, type PhoneLink } from '../phone-link.ts';
import { LoaderClient } from './loader-client.ts';
import type { SilenceLimit } from '../silence.ts';
import { PhoneRefusal } from '../../failures.ts';

/** The boot area of the flash that the early loader starts from, and the name of its image. */
const bootRegion = 'boot0';
const bootImageName = 'preloader';
const userRegion = 'user';
/** Bytes that a survey reads. */
const looked = 4096;

/** A phone whose processor answers through its built-in loader. */
export class LoaderLink implements PhoneLink {
  readonly mode = 'loader';
  readonly kind = 'loader';
  readonly user = 0;
  readonly partitions: LoaderPartitions;
  readonly gone: Promise<void>;

  private constructor(
    private readonly client: LoaderClient,
    private readonly hello: LoaderHello,
    readonly description: string,
  ) {
    this.partitions = new LoaderPartitions(client, hello);
    this.gone = client.gone;
  }

  /** @param address `host:port` */
  static async open(address: string, silence: SilenceLimit): Promise<LoaderLink> {
    const client = await LoaderClient.open(address, silence);
    try {
      return new LoaderLink(client, await client.hello(), `loader ${address}`);
    } catch (error) {
      client.close();
      throw error;
    }
  }

  /** Nobody has apps here. */
  asUser(): this {
    return this;
  }

  async facts(): Promise<PhoneFacts> {
    const installed = await installedSystem((name) => this.partitions.maybeSource(name), '');
    const properties = installed?.properties ?? {};
    return {
      serial: this.hello.serial,
      // Until its system is read, a processor knows no more of the phone than its own name.
      maker: properties['ro.product.manufacturer'] ?? 'Unknown maker',
      model: properties['ro.product.model'] ?? this.hello.chip,
      ...makeFrom(properties),
      mode: 'loader',
      root: true,
      abis: (properties['ro.product.cpu.abilist'] ?? '').split(',').filter(Boolean),
      condition: conditionFrom(properties, installed?.hasSu),
      battery: await this.client.battery(),
    };
  }

  async survey(): Promise<Omit<Survey, 'at' | 'build'>> {
    const found = await this.partitions.list();
    const [smallest] = found.filter(({ bytes }) => bytes >= looked).sort((a, b) => a.bytes - b.bytes);
    const findings: Finding[] = [
      { what: 'Chip', result: 'works', found: this.hello.chip },
      { what: 'Partitions', result: found.length > 0 ? 'works' : 'missing', found: String(found.length) },
    ];
    if (smallest) {
      const range = { offset: 0, bytes: looked };
      const hash = createHash('sha256');
      for await (const part of this.partitions.read(smallest.name, [range])) hash.update(part);
      const told = await this.partitions.digest(smallest.name, [range]);
      const isRight = told.hex === hash.digest('hex');
      findings.push({ what: `Digest of ${smallest.name}`, result: isRight ? 'works' : 'wrong', found: '' });
    }
    return { mode: this.mode, findings };
  }

  ready(): Promise<boolean> {
    return Promise.resolve(true);
  }

  restart(into: PhoneMode): Promise<void> {
    return this.client.restart(into);
  }

  close(): void {
    this.client.close();
  }
}

interface Place {
  readonly region: string;
  readonly offset: number;
  readonly bytes: number;
}

/** The whole flash through the loader: its partitions by their table, and the boot area outside it. */
class LoaderPartitions implements PartitionAccess {
  /** A loader answers one request after the other. */
  readonly doesTwoThings = false;
  private places: Promise<Map<string, Place>> | undefined;

  constructor(
    private readonly client: LoaderClient,
    private readonly hello: LoaderHello,
  ) {}

  async list(): Promise<PartitionFacts[]> {
    const found: PartitionFacts[] = [];
    for (const [name, place] of await this.load()) {
      const isTable = name.startsWith('gpt-');
      found.push({
        name,
        role: isTable ? 'other' : roleOf(name),
        bytes: place.bytes,
        ...(isTable ? { fileSystem: 'partition table' } : await contentsOf(this.sourceOf(place))),
      });
    }
    return found.sort((a, b) => (a.name < b.name ? -1 : 1));
  }

  async *read(name: string, ranges: readonly ByteRange[], signal?: AbortSignal): AsyncGenerator<Uint8Array> {
    const place = await this.place(name);
    yield* this.client.read(place.region, within(place, ranges), signal);
  }

  async digest(name: string, ranges: readonly ByteRange[], signal?: AbortSignal): Promise<Digest> {
    const place = await this.place(name);
    return { by: 'sha256', hex: await this.client.digest(place.region, within(place, ranges), signal) };
  }

  proofWay(): Promise<'sha256'> {
    return Promise.resolve('sha256');
  }

  async write(name: string, bytes: AsyncIterable<Uint8Array>, signal?: AbortSignal): Promise<void> {
    const why = whyNeverWritten(name);
    if (why) throw new PhoneRefusal(`${name} is never written. ${why}`);
    const { region, offset, bytes: most } = await this.place(name);
    // Nothing but this keeps one partition's bytes out of the next.
    await this.client.write(region, offset, atMost(bytes, most, name), signal);
  }

  source(name: string, bytes: number): ByteSource {
    return cached({
      bytes,
      read: async (offset, length) => {
        const place = await this.place(name);
        return this.readAt(place, offset, length);
      },
    });
  }

  async maybeSource(name: string): Promise<ByteSource | undefined> {
    const place = (await this.load()).get(name);
    return place && this.sourceOf(place);
  }

  private sourceOf(place: Place): ByteSource {
    return cached({ bytes: place.bytes, read: (offset, length) => this.readAt(place, offset, length) });
  }

  private async readAt(place: Place, offset: number, bytes: number): Promise<Buffer> {
    const parts: Uint8Array[] = [];
    for await (const part of this.client.read(place.region, within(place, [{ offset, bytes }])))
      parts.push(part);
    return Buffer.concat(parts);
  }

  private async place(name: string): Promise<Place> {
    const found = (await this.load()).get(name);
    if (!found) throw new PhoneRefusal(`The phone has no partition called ${name}.`);
    return found;
  }

  private load(): Promise<Map<string, Place>> {
    this.places ??= this.readPlaces();
    this.places.catch(() => (this.places = undefined));
    return this.places;
  }

  private async readPlaces(): Promise<Map<string, Place>> {
    const region = (name: string) => this.hello.regions.find((each) => each.name === name);
    const user = region(userRegion);
    if (!user || (user.sectorBytes !== 512 && user.sectorBytes !== 4096)) {
      throw new PhoneRefusal('The loader names no flash with a partition table.');
    }
    const disk = zerosWhereUnreadable(this.sourceOf({ region: userRegion, offset: 0, bytes: user.bytes }));
    const { partitions } = await readGpt(disk, user.sectorBytes);
    const tables = await gptRegions(disk, user.sectorBytes);
    const boot = region(bootRegion);
    return new Map<string, Place>([
      ...partitions.map(({ name, startBytes, bytes }): [string, Place] => [
        name,
        { region: userRegion, offset: startBytes, bytes },
      ]),
      [tableImageName('primary'), { region: userRegion, ...tables.primary }],
      [tableImageName('backup'), { region: userRegion, ...tables.backup }],
      ...(boot
        ? [[bootImageName, { region: bootRegion, offset: 0, bytes: boot.bytes }] satisfies [string, Place]]
        : []),
    ]);
  }
}

/** @throws PhoneRefusal before a byte too many is handed on */
async function* atMost(
  stream: AsyncIterable<Uint8Array>,
  most: number,
  name: string,
): AsyncGenerator<Uint8Array> {
  let had = 0;
  for await (const part of stream) {
    had += part.length;
    if (had > most) throw new PhoneRefusal(`${name} holds ${most} bytes, and more were to be written.`);
    yield part;
  }
}

const within = (place: Place, ranges: readonly ByteRange[]): ByteRange[] =>
  ranges.map(({ offset, bytes }) => ({ offset: place.offset + offset, bytes }));
