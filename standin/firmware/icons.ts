import { crc32, deflateSync } from 'node:zlib';

const iconSize = 48;
const ground = [246, 239, 224] as const;

export type Colour = readonly [red: number, green: number, blue: number];

const round = (x: number, y: number) => Math.hypot(x, y);
const widest = (x: number, y: number) => Math.max(Math.abs(x), Math.abs(y));

/** Whether a point of an icon, from -1 to 1 each way, is of its shape. */
const shapes = {
  disc: (x: number, y: number) => round(x, y) < 0.72,
  ring: (x: number, y: number) => round(x, y) < 0.74 && round(x, y) > 0.4,
  square: (x: number, y: number) => widest(x, y) < 0.6,
  frame: (x: number, y: number) => widest(x, y) < 0.66 && widest(x, y) > 0.34,
  diamond: (x: number, y: number) => Math.abs(x) + Math.abs(y) < 0.82,
  triangle: (x: number, y: number) => y < 0.58 && Math.abs(x) < (y + 0.72) * 0.62,
  wave: (x: number, y: number) => Math.abs(x) < 0.8 && Math.abs(y - 0.26 * Math.sin(x * 4)) < 0.2,
  waves: (x: number, y: number) => widest(x, y) < 0.78 && (y - 0.1 * Math.sin(x * 6) + 1) % 0.52 > 0.2,
  bars: (x: number, y: number) => widest(x, y) < 0.72 && (x + 1.02) % 0.48 < 0.26,
  cross: (x: number, y: number) => widest(x, y) < 0.72 && Math.min(Math.abs(x), Math.abs(y)) < 0.24,
  saltire: (x: number, y: number) => widest(x, y) < 0.7 && Math.abs(Math.abs(x) - Math.abs(y)) < 0.26,
  star: (x: number, y: number) => round(x, y) < 0.5 + 0.26 * Math.cos(5 * Math.atan2(x, -y)),
  flower: (x: number, y: number) => round(x, y) < 0.54 + 0.2 * Math.cos(6 * Math.atan2(y, x)),
  crescent: (x: number, y: number) => round(x, y) < 0.74 && round(x - 0.34, y + 0.1) > 0.58,
  half: (x: number, y: number) => round(x, y) < 0.74 && y > -0.04,
  dots: (x: number, y: number) => round(Math.abs(x) - 0.36, Math.abs(y) - 0.36) < 0.26,
  glass: (x: number, y: number) => Math.abs(y) < 0.7 && Math.abs(x) < Math.abs(y) * 0.86 + 0.08,
  roof: (x: number, y: number) =>
    widest(x, y) < 0.72 && y - Math.abs(x) * 0.8 < -0.02 && y - Math.abs(x) * 0.8 > -0.52,
  steps: (x: number, y: number) =>
    widest(x, y) < 0.68 && Math.floor((x + 0.68) * 2.3) + Math.floor((0.68 - y) * 2.3) < 3,
} as const;

export type Shape = keyof typeof shapes;

/** A shape in one colour on linen (W3C, PNG specification); the same bytes every time. */
export function icon(shape: Shape, colour: Colour): Buffer {
  const middle = (iconSize - 1) / 2;
  const at = (n: number) => (n - middle) / (iconSize / 2);
  const row = (y: number) =>
    Buffer.from([
      0,
      ...Array.from({ length: iconSize }, (_, x) => (shapes[shape](at(x), at(y)) ? colour : ground)).flat(),
    ]);
  const chunk = (type: string, data: Buffer) => {
    const out = Buffer.alloc(12 + data.length);
    out.writeUInt32BE(data.length, 0);
    out.write(type, 4, 'latin1');
    data.copy(out, 8);
    out.writeUInt32BE(crc32(out.subarray(4, 8 + data.length)), 8 + data.length);
    return out;
  };
  const header = Buffer.alloc(13);
  header.writeUInt32BE(iconSize, 0);
  header.writeUInt32BE(iconSize, 4);
  // Eight bits, red, green and blue.
  header.set([8, 2], 8);
  const rows = Buffer.concat(Array.from({ length: iconSize }, (_, y) => row(y)));
  return Buffer.concat([
    Buffer.from('\x89PNG\r\n\x1a\n', 'latin1'),
    chunk('IHDR', header),
    chunk('IDAT', deflateSync(rows)),
    chunk('IEND', Buffer.alloc(0)),
  ]);
}
