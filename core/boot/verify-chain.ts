import { FormatError } from '../bytes/format-error.ts';
import { hex } from '../bytes/text.ts';
import { matchesHash, readVbmeta, verifyVbmeta, type Vbmeta } from '../formats/verified-boot/index.ts';
import type { BootFlash } from './walk.ts';

/**
 * Why a boot chain does not verify (Android Verified Boot 2.0, README of AOSP external/avb); undefined when it does.
 * @param suffix of the slot, `_a`; empty where there are none
 * @param makerKey the key that the phone trusts; left out, any key will do that signs for all of it
 */
export async function chainFault(
  flash: BootFlash,
  suffix: string,
  makerKey: Uint8Array | undefined,
): Promise<string | undefined> {
  try {
    const top = await vbmetaOf(flash, `vbmeta${suffix}`);
    if (makerKey && hex(top.publicKey) !== hex(makerKey)) return 'vbmeta is not signed by the maker';
    return await faultOf(flash, top, suffix, 'vbmeta');
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

async function faultOf(
  flash: BootFlash,
  vbmeta: Vbmeta,
  suffix: string,
  name: string,
): Promise<string | undefined> {
  const verdict = verifyVbmeta(vbmeta);
  if (verdict.result !== 'valid') return `${name}: ${'reason' in verdict ? verdict.reason : verdict.result}`;
  for (const descriptor of vbmeta.descriptors) {
    if (descriptor.kind === 'hash') {
      const source = await flash.partition(`${descriptor.partition}${suffix}`);
      if (!source || !(await matchesHash(descriptor, source))) {
        return `${descriptor.partition} is not what ${name} signs for`;
      }
    }
    if (descriptor.kind === 'chain') {
      const chained = await vbmetaOf(flash, `${descriptor.partition}${suffix}`);
      if (hex(chained.publicKey) !== hex(descriptor.publicKey))
        return `${descriptor.partition} has another key`;
      const fault = await faultOf(flash, chained, suffix, descriptor.partition);
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
