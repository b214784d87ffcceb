import { FormatError } from '../bytes/format-error.ts';
import { hex } from '../bytes/text.ts';
import {
  matchesHash,
  readVbmeta,
  verifyVbmeta,
  type Vbmeta,
} from '../formats/verified-boot/verified-boot.ts';
import { once } from './once.ts';
import type { BootFlash, BootRules } from './boot-flash.ts';

/**
 * Why a boot chain does not verify (Android Verified Boot 2.0, README of AOSP external/avb); undefined when it does.
 * @param suffix of the slot, `_a`; empty where there are none
 * @param rules its key: the one that the phone trusts; left out, any key will do that signs for all of it
 */
export async function chainFault(
  flash: BootFlash,
  suffix: string,
  { makerKey, rollbackFloor = () => 0n }: Pick<BootRules, 'makerKey' | 'rollbackFloor'>,
): Promise<string | undefined> {
  try {
    const top = await vbmetaOf(flash, `vbmeta${suffix}`);
    if (makerKey && hex(top.publicKey) !== hex(makerKey)) return 'vbmeta is not signed by the maker';
    return await faultOf(flash, top, suffix, 'vbmeta', top.rollbackIndexLocation, rollbackFloor);
  } catch (error) {
    if (error instanceof FormatError || error instanceof Missing) return error.message;
    throw error;
  }
}

/** The key that signs a phone's metadata as it is now; undefined where there is none. */
export async function signingKey(flash: BootFlash, suffix: string): Promise<Uint8Array | undefined> {
  try {
    const top = await vbmetaOf(flash, `vbmeta${suffix}`);
    return verifyVbmeta(top).result === 'valid' ? top.publicKey : undefined;
  } catch (error) {
    if (error instanceof FormatError || error instanceof Missing) return undefined;
    throw error;
  }
}

class Missing extends Error {}

/** Rollback indexes by their locations, as the metadata of a slot has them; none where there is no metadata. */
export async function rollbackIndexes(flash: BootFlash, suffix: string): Promise<Map<number, bigint>> {
  const found = new Map<number, bigint>();
  try {
    const top = await vbmetaOf(flash, `vbmeta${suffix}`);
    found.set(top.rollbackIndexLocation, top.rollbackIndex);
    for (const descriptor of top.descriptors) {
      if (descriptor.kind !== 'chain') continue;
      const { rollbackIndex } = await vbmetaOf(flash, `${descriptor.partition}${suffix}`);
      found.set(descriptor.rollbackIndexLocation, rollbackIndex);
    }
  } catch (error) {
    if (!(error instanceof FormatError || error instanceof Missing)) throw error;
  }
  return found;
}

async function faultOf(
  flash: BootFlash,
  vbmeta: Vbmeta,
  suffix: string,
  name: string,
  location: number,
  rollbackFloor: (location: number) => bigint,
): Promise<string | undefined> {
  const verdict = verifyVbmeta(vbmeta);
  if (verdict.result !== 'valid') return `${name}: ${'reason' in verdict ? verdict.reason : verdict.result}`;
  const floor = rollbackFloor(location);
  if (vbmeta.rollbackIndex < floor)
    return `${name} has the rollback index ${vbmeta.rollbackIndex}, the phone takes none below ${floor}`;
  for (const descriptor of vbmeta.descriptors) {
    if (descriptor.kind === 'hash') {
      const source = await flash.partition(`${descriptor.partition}${suffix}`);
      const { digest, salt } = descriptor;
      const isRight =
        source &&
        (await once(source, `hash ${hex(digest)} ${hex(salt)}`, () => matchesHash(descriptor, source)));
      if (!isRight) {
        return `${descriptor.partition} is not what ${name} signs for`;
      }
    }
    if (descriptor.kind === 'chain') {
      const chained = await vbmetaOf(flash, `${descriptor.partition}${suffix}`);
      if (hex(chained.publicKey) !== hex(descriptor.publicKey))
        return `${descriptor.partition} has another key`;
      const { partition, rollbackIndexLocation } = descriptor;
      const fault = await faultOf(flash, chained, suffix, partition, rollbackIndexLocation, rollbackFloor);
      if (fault) return fault;
    }
  }
  return undefined;
}

async function vbmetaOf(flash: BootFlash, name: string): Promise<Vbmeta> {
  const source = await flash.partition(name);
  if (!source) throw new Missing(`there is no ${name} partition`);
  return readVbmeta(source);
}
