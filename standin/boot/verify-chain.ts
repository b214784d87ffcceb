import { slice } from '@keen-larder/core/bytes/source.ts';
import { hex } from '@keen-larder/core/bytes/text.ts';
import {
  matchesHash,
  readVbmeta,
  verifyVbmeta,
  type Vbmeta,
} from '@keen-larder/core/formats/verified-boot/index.ts';
import { makerSigner } from '../firmware/verified-chain.ts';
import type { Flash } from '../flash/flash.ts';
import type { Slot } from './slots.ts';

/** Why a slot's boot chain does not verify against the maker's key; undefined when it does. */
export async function verifyChain(flash: Flash, slot: Slot): Promise<string | undefined> {
  const makerKey = makerSigner('tidewell').publicKey;
  try {
    const top = await vbmetaOf(flash, 'vbmeta', slot);
    if (hex(top.publicKey) !== hex(makerKey)) return 'vbmeta is not signed by the maker';
    return await faultOf(flash, top, slot, 'vbmeta');
  } catch (error) {
    return (error as Error).message;
  }
}

async function faultOf(flash: Flash, vbmeta: Vbmeta, slot: Slot, name: string): Promise<string | undefined> {
  const verdict = verifyVbmeta(vbmeta);
  if (verdict.result !== 'valid') return `${name}: ${'reason' in verdict ? verdict.reason : verdict.result}`;
  for (const descriptor of vbmeta.descriptors) {
    if (descriptor.kind === 'hash') {
      const device = flash.partition(`${descriptor.partition}_${slot}`);
      if (!device || !(await matchesHash(descriptor, device))) {
        return `${descriptor.partition} is not what ${name} signs for`;
      }
    }
    if (descriptor.kind === 'chain') {
      const chained = await vbmetaOf(flash, descriptor.partition, slot);
      if (hex(chained.publicKey) !== hex(descriptor.publicKey))
        return `${descriptor.partition} has another key`;
      const fault = await faultOf(flash, chained, slot, descriptor.partition);
      if (fault) return fault;
    }
  }
  return undefined;
}

async function vbmetaOf(flash: Flash, name: string, slot: Slot): Promise<Vbmeta> {
  const device = flash.partition(`${name}_${slot}`);
  if (!device) throw new Error(`there is no ${name} partition`);
  return readVbmeta(slice(device, 0, device.bytes));
}
