import { Readable } from 'node:stream';
import { activeSlot, bootControlOf, type Slot } from '@keen-larder/core/boot/boot.ts';
import type { PhoneAtWork } from '../phone/phone-at-work.ts';
import { RunFailure } from '../../failures.ts';
import { accessOf } from '../phone/phone-access.ts';

/** What is written of `misc` at once: whole pages, as flash takes them. */
const headBytes = 4096;

/**
 * Makes a slot the one that starts: by the bootloader's own command, or in the control block on `misc`.
 * @throws RunFailure when the phone keeps its slots elsewhere
 */
export function setActiveSlot(phone: PhoneAtWork, slot: Slot): Promise<string> {
  return phone.retry({
    what: `Make slot ${slot} active`,
    attempt: async ({ link, signal }) => {
      if (link.flashing) {
        await link.flashing.setActive(slot);
        return 'the bootloader did';
      }
      const access = accessOf(link);
      const misc = (await access.list()).find(({ name }) => name === 'misc');
      const head = misc && Buffer.from(await access.source('misc', misc.bytes).read(0, headBytes));
      const { offset, bytes } = bootControlOf(slot);
      const hasControl = head?.subarray(offset + 4, offset + 8).equals(bytes.subarray(4, 8));
      if (!head || !hasControl) {
        throw new RunFailure(
          'This phone does not keep its slots on misc. Restart into the bootloader and switch there.',
        );
      }
      head.set(bytes, offset);
      await access.write('misc', Readable.from([head]), signal);
      const now = await activeSlot(access.source('misc', misc.bytes));
      if (now !== slot) throw new RunFailure(`misc was written and still says slot ${now}. Try again.`);
      return 'misc says so';
    },
  });
}
