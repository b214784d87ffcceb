import { setFlagsFromString } from 'node:v8';
import { runInNewContext } from 'node:vm';
import { numbersOf } from '../../testing/numbers.ts';
import { fuzzInputs } from '../../testing/effort.ts';
import { FormatError } from '../bytes/format-error.ts';
import type { ByteSource } from '../bytes/source.ts';

/** Of this process's processors: what else the machine does is no reader's fault. */
const busyMs = (): number => {
  const { user, system } = process.cpuUsage();
  return (user + system) / 1000;
};

/** A run that takes longer than this hangs, or nearly. */
const mostMilliseconds = 2000;
const mostMemoryBytes = 256 << 20;

/** A source that notes which bytes were asked for: damage elsewhere would not be seen. */
function noting(source: ByteSource, seen: { offset: number; bytes: number }[]): ByteSource {
  return {
    bytes: source.bytes,
    read: (offset, bytes) => {
      seen.push({ offset, bytes });
      return source.read(offset, bytes);
    },
  };
}

/** A source with some bytes changed, and perhaps cut off. */
function damaged(source: ByteSource, changes: ReadonlyMap<number, number>, bytes: number): ByteSource {
  return {
    bytes,
    async read(offset, length) {
      const out = new Uint8Array(await source.read(offset, Math.max(0, Math.min(length, bytes - offset))));
      for (const [at, value] of changes) {
        if (at >= offset && at < offset + out.length) out[at - offset] = value;
      }
      return out;
    },
  };
}

/** Values that lengths and counts go wrong by. */
const edges = [0, 1, 0x7f, 0x80, 0xfe, 0xff];

/** With what the test itself takes. */
const mostHeldBytes = mostMemoryBytes + (64 << 20);

function heldBytes(): number {
  const { heapUsed, arrayBuffers } = process.memoryUsage();
  return heapUsed + arrayBuffers;
}

/** Gives back what nobody holds any more: only what is left is a reader's. */
function collect(): void {
  setFlagsFromString('--expose-gc');
  (runInNewContext('gc') as () => void)();
}

/**
 * Has a reader read thousands of damaged inputs: it answers, or throws a FormatError that says where; it does not hang, and
 * does not take memory without end.
 * @param few how many inputs there are in a usual run
 * @throws Error that names the seed of what it did otherwise
 */
export async function readDamaged(
  source: ByteSource,
  read: (source: ByteSource) => Promise<void>,
  few = 60,
): Promise<void> {
  const seen: { offset: number; bytes: number }[] = [];
  await read(noting(source, seen));
  const places = seen.filter(({ bytes }) => bytes > 0);
  const count = fuzzInputs(few);
  for (let seed = 1; seed <= count; seed++) {
    const below = numbersOf(seed);
    const changes = new Map<number, number>();
    for (let i = 0, some = 1 + below(6); i < some; i++) {
      const place = places[below(places.length)]!;
      // What is asked for by few bytes is structure; of much, its beginning mostly.
      const within = below(2) ? below(place.bytes) : below(Math.min(place.bytes, 128));
      const value = below(2) ? edges[below(edges.length)]! : below(256);
      for (let more = 0, run = below(4) ? 1 : 4; more < run; more++)
        changes.set(place.offset + within + more, value);
    }
    const bytes = below(6) ? source.bytes : below(source.bytes);
    const took = async () => {
      const began = busyMs();
      try {
        await read(damaged(source, changes, bytes));
      } catch (error) {
        if (!(error instanceof FormatError) || !(error.offset >= 0))
          throw new Error(`seed ${seed}: ${String(error)}`, { cause: error });
      }
      return busyMs() - began;
    };
    // Once it may be that memory is gathered or a program translated in the middle.
    if ((await took()) > mostMilliseconds) {
      const again = await took();
      if (again > mostMilliseconds) throw new Error(`seed ${seed}: ${Math.round(again)} ms`);
    }
    if (seed % 64 === 0 && heldBytes() > mostHeldBytes) {
      collect();
      // What libraries hold outside the heap is freed a little later.
      await new Promise((go) => setTimeout(go, 10));
      collect();
      if (heldBytes() > mostHeldBytes) throw new Error(`seed ${seed}: ${heldBytes()} bytes of memory`);
    }
  }
}
