import { hex } from '../../bytes/text.ts';
import { sizeText } from '../../bytes/units.ts';
import { vbmetaFlags, verifyVbmeta, type Descriptor, type Vbmeta } from '../verified-boot/verified-boot.ts';
import { inspection, type Inspection } from './inspection.ts';

/** Describes verified-boot metadata and says whether it is as it was signed. */
export function inspectVbmeta(vbmeta: Vbmeta, bytes: number): Inspection {
  const verdict = verifyVbmeta(vbmeta);
  const disabled = [
    vbmeta.flags & vbmetaFlags.hashtreeDisabled ? 'hash trees are not checked' : '',
    vbmeta.flags & vbmetaFlags.verificationDisabled ? 'nothing is verified' : '',
  ].filter(Boolean);
  return inspection('verified-boot metadata', bytes, {
    fields: {
      algorithm: vbmeta.algorithm?.name ?? 'none',
      signature: verdict.result === 'invalid' ? `invalid: ${verdict.reason}` : verdict.result,
      'rollback index': `${vbmeta.rollbackIndex} at location ${vbmeta.rollbackIndexLocation}`,
      flags: [vbmeta.flags, ...disabled].join(', '),
      'made by': vbmeta.release,
    },
    rows: vbmeta.descriptors.map(describe),
    findings: verdict.result === 'invalid' ? [`It does not verify: ${verdict.reason}.`] : [],
  });
}

function describe(descriptor: Descriptor): string {
  switch (descriptor.kind) {
    case 'property':
      return `property ${descriptor.key}: ${printable(descriptor.value)}`;
    case 'hash':
      return `${descriptor.partition}: ${descriptor.algorithm} ${hex(descriptor.digest)} over ${sizeText(descriptor.imageBytes)}`;
    case 'hashtree':
      return `${descriptor.partition}: hash tree ${hex(descriptor.rootDigest)} over ${sizeText(descriptor.imageBytes)}`;
    case 'kernel command line':
      return `kernel command line: ${descriptor.commandLine}`;
    case 'chain':
      return `${descriptor.partition}: metadata of its own, rollback index at location ${descriptor.rollbackIndexLocation}`;
    case 'unknown':
      return `unknown descriptor ${descriptor.tag}, ${descriptor.bytes} bytes`;
  }
}

const printable = (bytes: Uint8Array) => {
  const text = new TextDecoder('utf-8').decode(bytes);
  return /^[\p{L}\p{N}\p{P}\p{S}\p{Zs}]*$/u.test(text) ? text : `${bytes.length} bytes`;
};
