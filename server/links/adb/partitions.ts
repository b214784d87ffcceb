import { cached, type ByteSource } from '@keen-larder/core/bytes/source.ts';
import { gptRegions, type GptRegion } from '@keen-larder/core/formats/gpt/index.ts';
import { looksLikeExt4, parseSuperblock, superblockOffset } from '@keen-larder/core/formats/ext4/index.ts';
import type { PartitionFacts } from '@keen-larder/core/phone/facts.ts';
import { roleOf, tableImageName } from '@keen-larder/core/phone/roles.ts';
import { LinkFailure, type PartitionAccess } from '../phone-link.ts';
import { parseByName, parseMounts } from './parsing.ts';
import { quote, type AdbShell } from './shell.ts';

const blockBytes = 1 << 20;
const framedBlockBytes = blockBytes - 4096;
/** Enough for ext4's superblock and any boot image's magic. */
const headBytes = 4096;
const folders = ['/dev/block/by-name', '/dev/block/bootdevice/by-name'];

/** Where a partition's bytes lie: on a node of their own, or in a stretch of a disk that no partition has. */
interface Place {
  readonly node: string;
  readonly region?: GptRegion;
}

/** Partitions of a phone, and its partition tables, through `dd` and `sha256sum` on its shell. */
export class AdbPartitions implements PartitionAccess {
  private nodes: Promise<Map<string, string>> | undefined;
  private tables: Promise<Map<string, Required<Place>>> | undefined;

  constructor(
    private readonly shell: AdbShell,
    private readonly mayUnmount: boolean,
  ) {}

  async list(): Promise<PartitionFacts[]> {
    const nodes = await this.byName();
    const paths = [...nodes.values()];
    const sizes = (await this.shell.must(`blockdev --getsize64 ${paths.map(quote).join(' ')}`))
      .trim()
      .split(/\s+/)
      .map(Number);
    if (sizes.length !== paths.length || sizes.some((size) => !Number.isSafeInteger(size))) {
      throw new LinkFailure('The phone did not tell the size of every partition. Connect it again.');
    }
    const mounts = parseMounts(await this.shell.must('cat /proc/mounts'));
    const found: PartitionFacts[] = [];
    for (const [i, [name, node]] of [...nodes].entries()) {
      const bytes = sizes[i]!;
      const mount = mounts.find(({ device }) => device === node || device.endsWith(`/by-name/${name}`));
      found.push({
        name,
        role: roleOf(name),
        bytes,
        ...(mount && { mount: { at: mount.at, writable: mount.writable } }),
        ...(bytes >= headBytes && (await this.contents(name, bytes))),
      });
    }
    for (const [name, { region }] of await this.tablePlaces()) {
      found.push({ name, role: 'other', bytes: region.bytes, fileSystem: 'partition table' });
    }
    return found.sort((a, b) => (a.name < b.name ? -1 : 1));
  }

  async *read(
    name: string,
    { offset = 0, bytes, signal }: { offset?: number; bytes?: number; signal?: AbortSignal } = {},
  ): AsyncGenerator<Uint8Array> {
    const { node, region } = await this.place(name);
    const start = (region?.offset ?? 0) + offset;
    const length = bytes ?? (region && region.bytes - offset);
    const options =
      length === undefined
        ? `bs=${readBlockBytes(start)} skip=${start / readBlockBytes(start)}`
        : rangeOptions(start, length);
    yield* this.shell.stream(`dd if=${quote(node)} ${options} 2>/dev/null`, signal);
  }

  async write(name: string, bytes: AsyncIterable<Uint8Array>, signal?: AbortSignal): Promise<void> {
    const { node, region } = await this.place(name);
    if (region) throw new LinkFailure(`${name} is a partition table, which is never written.`);
    if (this.mayUnmount) await this.unmount(node, name);
    await this.shell.feed(
      `dd of=${quote(node)} bs=${blockBytes} conv=notrunc 2>/dev/null && sync`,
      bytes,
      signal,
    );
    await this.shell.must(`blockdev --flushbufs ${quote(node)}`).catch(() => undefined);
  }

  async digest(name: string, bytes: number, signal?: AbortSignal): Promise<string> {
    const { node, region } = await this.place(name);
    const whole = region
      ? undefined
      : Number((await this.shell.must(`blockdev --getsize64 ${quote(node)}`)).trim());
    const script =
      bytes === whole
        ? `sha256sum ${quote(node)}`
        : `dd if=${quote(node)} ${rangeOptions(region?.offset ?? 0, bytes)} 2>/dev/null | sha256sum`;
    let text = '';
    for await (const part of this.shell.stream(script, signal)) text += Buffer.from(part).toString();
    const match = /^([0-9a-f]{64})\b/.exec(text);
    if (!match) throw new LinkFailure(`The phone computed no digest of ${name}: “${text.trim()}”.`);
    return match[1]!;
  }

  /** A partition as a source with random access, for looking at a few of its blocks. */
  source(name: string, bytes: number): ByteSource {
    return cached({
      bytes,
      read: (offset, length) => this.readRange(name, offset, length),
    });
  }

  private async readRange(name: string, offset: number, bytes: number): Promise<Buffer> {
    const { node, region } = await this.place(name);
    return this.readNode(node, (region?.offset ?? 0) + offset, bytes);
  }

  private async readNode(node: string, offset: number, bytes: number): Promise<Buffer> {
    const parts: Uint8Array[] = [];
    const script = `dd if=${quote(node)} ${rangeOptions(offset, bytes)} 2>/dev/null`;
    for await (const part of this.shell.stream(script)) parts.push(part.slice());
    return Buffer.concat(parts);
  }

  private async contents(
    name: string,
    bytes: number,
  ): Promise<Pick<PartitionFacts, 'fileSystem' | 'usedBytes'>> {
    const head = await this.readRange(name, 0, headBytes);
    if (head.subarray(0, 8).toString('latin1') === 'ANDROID!') return { fileSystem: 'boot image' };
    if (!looksLikeExt4(head)) return {};
    try {
      const {
        blocks,
        freeBlocks,
        blockBytes: block,
      } = parseSuperblock(head.subarray(superblockOffset, superblockOffset + 1024), bytes);
      return { fileSystem: 'ext4', usedBytes: (blocks - freeBlocks) * block };
    } catch {
      // A damaged file system is still a partition worth keeping; its use is simply not known.
      return {};
    }
  }

  private async unmount(node: string, name: string): Promise<void> {
    const mounts = parseMounts(await this.shell.must('cat /proc/mounts'));
    for (const { device, at } of mounts) {
      if (device === node || device.endsWith(`/by-name/${name}`))
        await this.shell.must(`umount ${quote(at)}`);
    }
  }

  private async place(name: string): Promise<Place> {
    const node = (await this.byName()).get(name);
    if (node) return { node };
    const table = (await this.tablePlaces()).get(name);
    if (!table) throw new LinkFailure(`The phone has no partition called ${name}.`);
    return table;
  }

  /** Both copies of the partition table of every disk that partitions lie on. */
  private tablePlaces(): Promise<Map<string, Required<Place>>> {
    const load = async () => {
      const disks = [...new Set([...(await this.byName()).values()].map(diskOf))].filter(
        (disk) => disk !== undefined,
      );
      const found = new Map<string, Required<Place>>();
      for (const disk of disks) {
        // A phone that cannot tell still has its partitions: its tables are then not offered.
        const { stdout: told } = await this.shell.run(
          this.shell.rooted(`blockdev --getsize64 ${quote(disk)} && blockdev --getss ${quote(disk)}`),
        );
        const [bytes = NaN, sectorBytes = NaN] = told.trim().split(/\s+/).map(Number);
        if (!Number.isSafeInteger(bytes) || (sectorBytes !== 512 && sectorBytes !== 4096)) continue;
        const read = (offset: number, length: number) => this.readNode(disk, offset, length);
        const { primary, backup } = await gptRegions({ bytes, read }, sectorBytes);
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

  private byName(): Promise<Map<string, string>> {
    const load = async () => {
      for (const folder of folders) {
        const { stdout, exitCode } = await this.shell.run(this.shell.rooted(`ls -l ${folder}`));
        const nodes = parseByName(stdout);
        if (exitCode === 0 && nodes.size > 0) return nodes;
      }
      throw new LinkFailure('The phone lists no partitions by name.');
    };
    this.nodes ??= load();
    this.nodes.catch(() => (this.nodes = undefined));
    return this.nodes;
  }
}

/** A block that fits into one adb payload together with its shell frame, where the offset allows. */
const readBlockBytes = (offset: number): number =>
  offset % framedBlockBytes === 0 ? framedBlockBytes : smallBlock(offset, offset);

/** The largest block that divides both where to start and how much to read. */
function smallBlock(offset: number, bytes: number): number {
  let block = blockBytes;
  while (block > 1 && (offset % block !== 0 || bytes % block !== 0)) block /= 2;
  return block;
}

/** What makes `dd` read a range, in the largest blocks that fit it. */
function rangeOptions(offset: number, bytes: number): string {
  const block = smallBlock(offset, bytes);
  return `bs=${block} skip=${offset / block} count=${bytes / block}`;
}

/** The disk that a partition's node lies on: `/dev/block/mmcblk0p14` on `mmcblk0`, `/dev/block/sda12` on `sda`. */
function diskOf(node: string): string | undefined {
  return (/^(\/dev\/block\/(?:mmcblk|nvme\d+n)\d+)p\d+$/.exec(node) ??
    /^(\/dev\/block\/sd[a-z]+)\d+$/.exec(node))?.[1];
}
