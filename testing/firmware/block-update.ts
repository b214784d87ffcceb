import { execFileSync } from 'node:child_process';

/** Blocks with something in them, as ranges. */
function rangesOf(image: Uint8Array, isZero: boolean): [number, number][] {
  const ranges: [number, number][] = [];
  for (let block = 0; block < image.length / 4096; block++) {
    if (image.subarray(block * 4096, (block + 1) * 4096).every((byte) => byte === 0) !== isZero) continue;
    const last = ranges.at(-1);
    if (last && last[1] === block) last[1] = block + 1;
    else ranges.push([block, block + 1]);
  }
  return ranges;
}

const text = (ranges: readonly [number, number][]) => `${ranges.length * 2},${ranges.flat().join(',')}`;

/** A full update by blocks: its list and its blocks (AOSP, build/make, tools/releasetools/blockimgdiff.py), packed by brotli on demand. */
export function makeBlockUpdate(image: Uint8Array): { list: string; blocks: Buffer; packed: Buffer } {
  const fresh = rangesOf(image, false);
  const zero = rangesOf(image, true);
  // As the maker of them does it: several commands, the first blocks not first.
  const halves = fresh.length > 1 ? [fresh.slice(1), fresh.slice(0, 1)] : [fresh];
  const count = fresh.reduce((sum, [start, end]) => sum + end - start, 0);
  const list = [
    '4',
    String(count),
    '0',
    '0',
    ...(zero.length > 0 ? [`erase ${text(zero)}`] : []),
    ...halves.map((half) => `new ${text(half)}`),
    ...(zero.length > 0 ? [`zero ${text(zero)}`] : []),
    '',
  ].join('\n');
  const blocks = Buffer.concat(
    halves.flat().map(([start, end]) => Buffer.from(image.subarray(start * 4096, end * 4096))),
  );
  return {
    list,
    blocks,
    packed: execFileSync('brotli', ['-c', '-q', '5'], { input: blocks, maxBuffer: 1 << 27 }),
  };
}
