/** What stands before an entry's bytes. */
export interface TarHead {
  /** As it is to be unpacked; of a folder with `/` behind it. */
  readonly name: string;
  readonly type: 'file' | 'link' | 'symlink' | 'directory';
  readonly target?: string | undefined;
  /** Permission bits. */
  readonly mode: number;
  readonly uid: number;
  readonly gid: number;
  /** Seconds since 1970. */
  readonly modifiedAt: number;
  /** Of what follows. */
  readonly bytes: number;
  /** SELinux label. */
  readonly label?: string | undefined;
}

const blockBytes = 512;
/** Of a header's fields for a name and for a link's target. */
const nameBytes = 100;
const types = { file: '0', link: '1', symlink: '2', directory: '5' } as const;

const padded = (bytes: number): number => Math.ceil(bytes / blockBytes) * blockBytes;

/** Zeros that follow so many bytes of an entry. */
export const tarPadding = (bytes: number): Buffer => Buffer.alloc(padded(bytes) - bytes);

/** Two empty blocks end an archive. */
export const tarEnd = (): Buffer => Buffer.alloc(2 * blockBytes);

/**
 * The header of an entry as the tars of phones read it: names that are too long come in entries of their own, as GNU tar has
 * them, since toybox stops reading extended records at a path and knows no record for a link's target; the only record is
 * the label (POSIX.1-2017, pax, ustar interchange format; GNU tar manual, Basic Tar Format).
 */
export function tarHeader(head: TarHead): Buffer {
  const parts: Buffer[] = [];
  if (head.label !== undefined)
    parts.push(...special('PaxHeaders', 'x', record('RHT.security.selinux', head.label)));
  const long = (type: 'K' | 'L', text: string) => {
    const bytes = Buffer.from(text);
    if (bytes.length > nameBytes)
      parts.push(...special('LongLink', type, Buffer.concat([bytes, Buffer.alloc(1)])));
  };
  long('K', head.target ?? '');
  long('L', head.name);
  parts.push(block({ ...head, type: types[head.type] }));
  return Buffer.concat(parts);
}

function special(name: string, type: string, bytes: Buffer): Buffer[] {
  const head = { name: `././@${name}`, mode: 0, uid: 0, gid: 0, modifiedAt: 0, bytes: bytes.length, type };
  return [block(head), bytes, tarPadding(bytes.length)];
}

function block(head: Omit<TarHead, 'type' | 'label'> & { readonly type: string }): Buffer {
  const out = Buffer.alloc(blockBytes);
  out.write(head.name, 0, nameBytes);
  number(out, 100, 8, head.mode);
  number(out, 108, 8, head.uid);
  number(out, 116, 8, head.gid);
  number(out, 124, 12, head.bytes);
  number(out, 136, 12, head.modifiedAt);
  out.write('        ', 148);
  out.write(head.type, 156);
  out.write(head.target ?? '', 157, nameBytes);
  out.write('ustar\x0000', 257);
  number(out, 329, 8, 0);
  number(out, 337, 8, 0);
  const sum = out.reduce((total, byte) => total + byte, 0);
  out.write(`${sum.toString(8).padStart(6, '0')}\0 `, 148);
  return out;
}

/** Octal digits where they are enough, otherwise GNU's binary form. */
function number(out: Buffer, at: number, length: number, value: number): void {
  const octal = value.toString(8);
  if (value >= 0 && octal.length < length) {
    out.write(`${octal.padStart(length - 1, '0')}\0`, at);
    return;
  }
  let rest = BigInt(Math.trunc(value));
  for (let i = length - 1; i >= 0; i--) {
    out[at + i] = Number(rest & 0xffn);
    rest >>= 8n;
  }
  out[at]! |= 0x80;
}

/** `LENGTH KEY=VALUE\n`, its own length told in it. */
function record(key: string, value: string): Buffer {
  const body = Buffer.from(` ${key}=${value}\n`);
  let length = body.length;
  while (length !== body.length + String(length).length) length = body.length + String(length).length;
  return Buffer.concat([Buffer.from(String(length)), body]);
}
