// Programs of processors: Tool Interface Standard, "ELF", 1.2; numbers of machines from the registry of the System V ABI. Loaders of
// phones are such programs as well.

const machines: Readonly<Record<number, string>> = {
  0x03: 'x86',
  0x08: 'MIPS',
  0x28: 'ARM',
  0x3e: 'x86-64',
  0xa4: 'Hexagon',
  0xb7: 'AArch64',
  0xf3: 'RISC-V',
};
const kinds: Readonly<Record<number, string>> = {
  1: 'relocatable',
  2: 'program',
  3: 'shared object',
  4: 'core dump',
};

/** What an ELF file says of itself. */
export interface Elf {
  readonly bits: 32 | 64;
  readonly machine: string;
  readonly kind: string;
  readonly entry: bigint;
  readonly segments: number;
}

/** By its header; undefined for anything else. */
export function readElf(head: Uint8Array): Elf | undefined {
  const isElf = head[0] === 0x7f && head[1] === 0x45 && head[2] === 0x4c && head[3] === 0x46;
  const [width, order] = [head[4], head[5]];
  if (!isElf || head.length < 64 || (width !== 1 && width !== 2) || (order !== 1 && order !== 2))
    return undefined;
  const view = new DataView(head.buffer, head.byteOffset, head.byteLength);
  const isLittle = order === 1;
  const [kind, machine] = [view.getUint16(16, isLittle), view.getUint16(18, isLittle)];
  return {
    bits: width === 1 ? 32 : 64,
    machine: machines[machine] ?? `0x${machine.toString(16)}`,
    kind: kinds[kind] ?? `0x${kind.toString(16)}`,
    entry: width === 1 ? BigInt(view.getUint32(24, isLittle)) : view.getBigUint64(24, isLittle),
    segments: view.getUint16(width === 1 ? 44 : 56, isLittle),
  };
}
