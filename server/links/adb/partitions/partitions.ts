import { createHash } from 'node:crypto';
import { Readable } from 'node:stream';
import { linesOf } from '@keen-larder/core/bytes/lines.ts';
import { rangesBytes, type ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import { cached, type ByteSource } from '@keen-larder/core/bytes/source.ts';
import { gptRegions } from '@keen-larder/core/formats/gpt/gpt.ts';
import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import { readLogicalPartitions } from '@keen-larder/core/formats/logical-partitions/logical-partitions.ts';
import type { PartitionFacts } from '@keen-larder/core/phone/facts.ts';
import type { ProofWay } from '@keen-larder/core/phone/proof-ways.ts';
import { roleOf, tableImageName } from '@keen-larder/core/phone/roles.ts';
import { contentsOf, zerosWhereUnreadable } from '../../contents.ts';
import { type Digest, type PartitionAccess } from '../../phone-link.ts';
import { inPairs, untilTaken } from '../../../async/in-pairs.ts';
import { batches } from '../batches.ts';
import { parseByName, parseMounts } from '../parsing.ts';
import { commands, rangesScript } from '../commands.ts';
import type { AdbCable } from './cable.ts';
import type { AdbDigests } from '../digests.ts';
import type { AdbShell } from '../shell.ts';
import { disksOf, onNode, type LogicalPlace, type Place, type TablePlace } from './places.ts';
import { stretchesOf, type GivenRange } from './stretches.ts';
import { FlashFailure, PhoneRefusal } from '../../../failures.ts';

const blockBytes = 1 << 20;
const pageBytes = 4096;
/** A slow phone takes so long to start a command; from memory, with a margin. */
const commandMs = 50;
const nothing = () => Readable.from([]);
const stretchSizes = { alignBytes: blockBytes, leastBytes: 8 * blockBytes, mostBytes: 256 * blockBytes };
/** With a slash behind them, since the folder itself may be a link. */
const folders = ['/dev/block/by-name/', '/dev/block/bootdevice/by-name/'];
/** That holds logical partitions (AOSP, fs_mgr: liblp). */
const superName = 'super';
/** A disk, not a partition of one: Android lists them by name since version 10. */
const wholeDisk = /^\/dev\/block\/(?:mmcblk\d+|sd[a-z]+|nvme\d+n\d+)$/;

async function* one<T>(value: T): AsyncGenerator<T> {
  yield await Promise.resolve(value);
}

/** Partitions of a phone, and its partition tables, through `dd` and its tools for digests, on its shell. */
export class AdbPartitions implements PartitionAccess {
  private nodes: Promise<Map<string, string>> | undefined;
  /** That lists them by name. */
  private folder: string | undefined;
  private readonly sizes = new Map<string, number>();
  private logicals: ReturnType<AdbPartitions['logicalPlaces']> | undefined;
  private tables: Promise<Map<string, TablePlace>> | undefined;

  constructor(
    private readonly shell: AdbShell,
    private readonly digests: AdbDigests,
    private readonly mayUnmount: boolean,
    readonly cable: AdbCable,
  ) {}

  /** Where it is read a second time, that comes afterwards. */
  get doesTwoThings(): boolean {
    return this.digests.known !== 'second reading';
  }

  proofWay(): Promise<ProofWay> {
    return this.digests.way();
  }

  async list(): Promise<PartitionFacts[]> {
    const nodes = await this.byName();
    const sizes = await this.sizesOf([...nodes.values()]);
    const mounts = parseMounts(await this.shell.must(commands.mounts()));
    const found: PartitionFacts[] = [];
    for (const [i, [name, node]] of [...nodes].entries()) {
      const bytes = sizes[i]!;
      const mount =
        mounts.find(({ device }) => device === node || device.endsWith(`/by-name/${name}`)) ??
        // Encrypted user data is mounted through a mapper of another name.
        (name === 'userdata' ? mounts.find(({ at }) => at === '/data') : undefined);
      found.push({
        name,
        role: roleOf(name),
        bytes,
        ...(mount && { mount: { at: mount.at, writable: mount.writable } }),
        ...(await contentsOf(this.source(name, bytes))),
      });
    }
    for (const [name, { region }] of await this.tablePlaces()) {
      found.push({ name, role: 'other', bytes: region.bytes, fileSystem: 'partition table' });
    }
    return found.sort((a, b) => (a.name < b.name ? -1 : 1));
  }

  async logical(): Promise<PartitionFacts[]> {
    const places = await this.logicalPlaces();
    const mounts = places.size > 0 ? parseMounts(await this.shell.must(commands.mounts())) : [];
    const found: PartitionFacts[] = [];
    for (const [name, { extents }] of places) {
      const bytes = rangesBytes(extents);
      const mount = mounts.find(({ device }) => device.endsWith(`/mapper/${name}`));
      found.push({
        ...{ name, role: roleOf(name), bytes, within: superName },
        ...(mount && { mount: { at: mount.at, writable: mount.writable } }),
        ...(await contentsOf(this.source(name, bytes))),
      });
    }
    return found;
  }

  async *read(name: string, ranges: readonly ByteRange[], signal?: AbortSignal): AsyncGenerator<Uint8Array> {
    const place = await this.place(name);
    yield* this.cable.read(place.node, onNode(place, ranges), signal);
  }

  write(name: string, parts: AsyncIterable<Uint8Array>, signal?: AbortSignal): Promise<void> {
    return this.writeRanges(name, one({ offset: 0, parts }), signal);
  }

  async writeRanges(name: string, ranges: AsyncIterable<GivenRange>, signal?: AbortSignal): Promise<void> {
    const { node, region, extents } = await this.place(name);
    if (region) throw new PhoneRefusal(`${name} is a partition table, which is never written.`);
    if (extents) throw new PhoneRefusal(`${name} lies within ${superName}, which is written whole.`);
    if (this.mayUnmount) await this.unmount(node, name);
    // The cable does not wait for the flash at the end of a stretch, and zeros are written while data comes.
    await this.cable.begin(await this.sizeOf(node));
    const sizes = { ...stretchSizes, mostDataBytes: () => this.cable.stretchBytes };
    await inPairs(stretchesOf(ranges, sizes), signal, (each, taken, stop) => {
      if (each.kind === 'data')
        return this.cable.feed(node, each.offset, untilTaken(each.parts, taken), stop);
      // Long runs of zeros the phone writes from its own: its flash is faster than its cable.
      taken();
      return this.shell.feed(commands.writeZeros(node, each.offset, each.bytes), nothing(), {
        signal: stop,
        quiet: { bytes: each.bytes },
      });
    });
    await this.shell.feed(commands.sync(), nothing(), { signal, quiet: { bytes: stretchSizes.mostBytes } });
    await this.shell.must(commands.forget(node)).catch(() => undefined);
  }

  async digest(name: string, ranges: readonly ByteRange[], signal?: AbortSignal): Promise<Digest> {
    const way = await this.digests.way();
    if (way === 'second reading') {
      const hash = createHash('sha256');
      for await (const part of this.read(name, ranges, signal)) hash.update(part);
      return { by: 'sha256', hex: hash.digest('hex') };
    }
    const place = await this.place(name);
    const { node } = place;
    const isWhole =
      !place.region &&
      !place.extents &&
      ranges.length === 1 &&
      ranges[0]!.bytes === (await this.sizeOf(node));
    // Each range is a command, or several: it says nothing before the last one has ended.
    const quiet = { bytes: rangesBytes(ranges), ms: ranges.length * commandMs };
    const input = rangesScript(node, onNode(place, ranges));
    const text = isWhole
      ? await this.shell.text(commands.digestNode(way, node), { signal, quiet })
      : await this.shell.text(commands.digestRanges(way, node), { signal, quiet, input });
    const match = /^([0-9a-f]{32,64})\b/.exec(text);
    if (!match) throw new PhoneRefusal(`The phone computed no digest of ${name}: “${text.trim()}”.`);
    return { by: way, hex: match[1]! };
  }

  async quickDigest(name: string): Promise<Digest['by'] | undefined> {
    const { node, region, extents } = await this.place(name);
    return region || extents ? undefined : this.digests.quickWay(node);
  }

  async digestPieces(
    name: string,
    range: ByteRange,
    pieceBytes: number,
    signal?: AbortSignal,
  ): Promise<AsyncIterable<Digest> | undefined> {
    const way = await this.quickDigest(name);
    const { node } = await this.place(name);
    return way && this.digests.pieces(way, node, range, pieceBytes, signal);
  }

  source(name: string, bytes: number): ByteSource {
    return cached({
      bytes,
      read: (offset, length) => this.readRange(name, offset, length, bytes),
    });
  }

  /** Sizes of nodes in their order, in bytes. @throws PhoneRefusal where one has none */
  private async sizesOf(nodes: readonly string[]): Promise<number[]> {
    const sizes: number[] = [];
    for (const batch of batches(nodes)) {
      sizes.push(...(await this.shell.must(commands.nodeSizes(batch))).trim().split(/\s+/).map(Number));
    }
    if (sizes.length !== nodes.length || sizes.some((size) => !Number.isSafeInteger(size)))
      throw new PhoneRefusal('The phone did not tell the size of every partition. Connect it again.');
    return sizes;
  }

  private async sizeOf(node: string): Promise<number> {
    let size = this.sizes.get(node);
    if (size === undefined) {
      size = Number((await this.shell.must(commands.nodeSizes([node]))).trim());
      this.sizes.set(node, size);
    }
    return size;
  }

  /** In whole pages, from which the range is cut: `dd` would take an odd length byte by byte. */
  private async readRange(name: string, offset: number, bytes: number, most: number): Promise<Buffer> {
    const place = await this.place(name);
    const start = Math.floor(offset / pageBytes) * pageBytes;
    const end = Math.min(most, Math.ceil((offset + bytes) / pageBytes) * pageBytes);
    const pages = await this.readNode(place, start, end - start);
    return pages.subarray(offset - start, offset - start + bytes);
  }

  private async readNode(place: Place, offset: number, bytes: number): Promise<Buffer> {
    const ranges = onNode(place, [{ offset, bytes }]);
    return this.shell.bytes(commands.readRanges(place.node, ranges), { mostBytes: bytes });
  }

  private async unmount(node: string, name: string): Promise<void> {
    const mounts = parseMounts(await this.shell.must(commands.mounts()));
    for (const { device, at } of mounts) {
      if (device === node || device.endsWith(`/by-name/${name}`)) await this.shell.must(commands.unmount(at));
    }
  }

  private async place(name: string): Promise<Place> {
    const node = (await this.byName()).get(name);
    if (node) return { node };
    const table = (await this.tablePlaces()).get(name) ?? (await this.logicalPlaces()).get(name);
    if (!table) throw new PhoneRefusal(`The phone has no partition called ${name}.`);
    return table;
  }

  /** Both copies of the partition table of every disk that partitions lie on. */
  private tablePlaces(): Promise<Map<string, TablePlace>> {
    const load = async () => {
      const disks = disksOf([...(await this.byName()).values()]);
      const found = new Map<string, TablePlace>();
      for (const disk of disks) {
        // A phone that cannot tell still has its partitions: its tables are then not offered.
        const { stdout: told } = await this.shell.run(this.shell.rooted(commands.diskSize(disk)));
        const [bytes = NaN, sectorBytes = NaN] = told.trim().split(/\s+/).map(Number);
        if (!Number.isSafeInteger(bytes) || (sectorBytes !== 512 && sectorBytes !== 4096)) continue;
        const read = (offset: number, length: number) => this.readNode({ node: disk }, offset, length);
        const { primary, backup } = await gptRegions(zerosWhereUnreadable({ bytes, read }), sectorBytes);
        const suffix = disks.length > 1 ? disk.split('/').at(-1) : undefined;
        found.set(tableImageName('primary', suffix), { node: disk, region: primary });
        found.set(tableImageName('backup', suffix), { node: disk, region: backup });
      }
      return found;
    };
    this.tables ??= load();
    this.tables.catch(() => (this.tables = undefined));
    return this.tables;
  }

  /** Where logical partitions lie on the one that holds them, by its metadata. */
  private logicalPlaces(): Promise<Map<string, LogicalPlace>> {
    const load = async () => {
      const found = new Map<string, LogicalPlace>();
      const node = await this.nodeOf(superName);
      const source = node && (await this.maybeSource(superName));
      if (!node || !source) return found;
      try {
        const physical = await this.byName();
        for (const { name, bytes, extents } of (await readLogicalPartitions(source)).partitions) {
          const isHere = extents.every(({ target, device }) => target === 'linear' && device === 0);
          if (bytes === 0 || !isHere || physical.has(name)) continue;
          found.set(name, {
            node,
            extents: extents.map((each) => ({ offset: each.startBytes, bytes: each.bytes })),
          });
        }
      } catch (error) {
        // Metadata that cannot be read tells of none: the partition itself is still there.
        if (!(error instanceof FormatError || error instanceof FlashFailure)) throw error;
      }
      return found;
    };
    this.logicals ??= load();
    this.logicals.catch(() => (this.logicals = undefined));
    return this.logicals;
  }

  private async bootAreas(): Promise<Map<string, string>> {
    const { stdout } = await this.shell.run(this.shell.rooted(commands.bootAreas()));
    return new Map(
      [...stdout.matchAll(/^\/dev\/block\/(mmcblk0boot[01])$/gm)].map(([path, name]) => [name!, path]),
    );
  }

  /** The node that a partition was found on, wherever this phone lists it. */
  async nodeOf(name: string): Promise<string | undefined> {
    return (await this.byName()).get(name);
  }

  /** Where they are listed, how large they are, and of which disks the partition tables can be read. */
  async survey(): Promise<{
    readonly folder: string;
    readonly sizes: ReadonlyMap<string, number>;
    readonly disks: readonly { readonly disk: string; readonly tables: boolean }[];
  }> {
    const nodes = [...(await this.byName())];
    const sizes = await this.sizesOf(nodes.map(([, node]) => node));
    const tables = [...(await this.tablePlaces()).values()].map(({ node }) => node);
    return {
      folder: this.folder ?? '',
      sizes: new Map(nodes.map(([name], i) => [name, sizes[i]!])),
      disks: disksOf(nodes.map(([, node]) => node)).map((disk) => ({ disk, tables: tables.includes(disk) })),
    };
  }

  /** A partition as a source; undefined when there is none of that name. */
  async maybeSource(name: string): Promise<ByteSource | undefined> {
    const node = (await this.byName()).get(name);
    return node === undefined ? undefined : this.source(name, await this.sizeOf(node));
  }

  /** What a by-name folder lists, disks left out. */
  private async listed(folder: string): Promise<Map<string, string>> {
    const { stdout } = await this.shell.run(this.shell.rooted(commands.listByName(folder)));
    return new Map([...parseByName(stdout)].filter(([, node]) => !wholeDisk.test(node)));
  }

  private byName(): Promise<Map<string, string>> {
    const load = async () => {
      for (const folder of folders) {
        const nodes = await this.listed(folder);
        this.folder = folder;
        if (nodes.size > 0) return new Map([...nodes, ...(await this.bootAreas())]);
      }
      const { stdout } = await this.shell.run(this.shell.rooted(commands.searchByName()));
      for (const folder of linesOf(stdout)) {
        if (!/^\/dev\/block\/platform\/[\w./:-]+\/by-name$/.test(folder)) continue;
        const nodes = await this.listed(`${folder}/`);
        this.folder = `${folder}/`;
        if (nodes.size > 0) return new Map([...nodes, ...(await this.bootAreas())]);
      }
      throw new PhoneRefusal('The phone lists no partitions by name.');
    };
    this.nodes ??= load();
    this.nodes.catch(() => (this.nodes = undefined));
    return this.nodes;
  }
}
