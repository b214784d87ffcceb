import { crc32 } from '../bytes/crc32.ts';
import { ascii, layout, raw, u16, u32, u8 } from '../bytes/layout.ts';
import type { ByteSource } from '../bytes/source.ts';

export type Slot = 'a' | 'b';

/** Where the boot control block lies on `misc` (AOSP bootloader_message.h). */
const offset = 2048;
/** struct bootloader_control (AOSP, hardware/interfaces/boot: bootloader_message.h). */
const bootControl = layout('boot-control', {
  slotSuffix: ascii(4),
  magic: u32, // "BCAB"
  version: u8,
  slotCounts: u8, // bits 0–2: number of slots
  reserved: raw(2),
  slotInfo0: u16, // bits 0–3 priority, 4–6 tries left, 7 booted well
  slotInfo1: u16,
  slotInfo2: u16,
  slotInfo3: u16,
  reserved1: raw(8),
  crc32: u32, // of all before it
});
const magic = 0x42414342;

/** The slot that starts: the one of higher priority; `a` where nothing was ever written. */
export async function activeSlot(misc: ByteSource): Promise<Slot> {
  const control = bootControl.read(await misc.read(offset, bootControl.bytes));
  if (control.magic !== magic) return 'a';
  return (control.slotInfo1 & 0xf) > (control.slotInfo0 & 0xf) ? 'b' : 'a';
}

/** Whether the phone keeps its slots on `misc` at all; some keep them elsewhere. */
export async function keepsSlots(misc: ByteSource): Promise<boolean> {
  return bootControl.read(await misc.read(offset, bootControl.bytes)).magic === magic;
}

/** The slot that a bootloader starts; undefined when each is marked as not bootable: priority 0 (AOSP, libboot_control). */
export async function bootableSlot(misc: ByteSource): Promise<Slot | undefined> {
  const control = bootControl.read(await misc.read(offset, bootControl.bytes));
  if (control.magic !== magic) return 'a';
  const [a, b] = [control.slotInfo0 & 0xf, control.slotInfo1 & 0xf];
  if (a === 0 && b === 0) return undefined;
  return b > a ? 'b' : 'a';
}

/** Whether a slot is marked as not bootable. */
export async function isUnbootable(misc: ByteSource, slot: Slot): Promise<boolean> {
  const control = bootControl.read(await misc.read(offset, bootControl.bytes));
  return control.magic === magic && ((slot === 'a' ? control.slotInfo0 : control.slotInfo1) & 0xf) === 0;
}

/**
 * What to write onto `misc` so that a slot is the one that starts.
 * @param otherMayStart the bootloader may fall back on the other slot
 */
export function bootControlOf(
  slot: Slot,
  otherMayStart = true,
): { readonly offset: number; readonly bytes: Uint8Array } {
  const bytes = new Uint8Array(bootControl.bytes);
  const [active, other] = [15 | (6 << 4), otherMayStart ? 14 | (6 << 4) : 0];
  const value = {
    slotSuffix: `_${slot}`,
    magic,
    version: 1,
    slotCounts: 2,
    reserved: new Uint8Array(2),
    slotInfo0: slot === 'a' ? active : other,
    slotInfo1: slot === 'b' ? active : other,
    slotInfo2: 0,
    slotInfo3: 0,
    reserved1: new Uint8Array(8),
    crc32: 0,
  };
  bootControl.write(bytes, 0, value);
  bootControl.write(bytes, 0, { ...value, crc32: crc32(bytes.subarray(0, bootControl.bytes - 4)) });
  return { offset, bytes };
}
