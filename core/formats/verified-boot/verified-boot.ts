export { checkHashTree, type TreeVerdict } from './hash-tree.ts';
export type { ChainDescriptor, Descriptor, HashDescriptor, HashtreeDescriptor } from './descriptors.ts';
export { footerMagic, vbmetaFlags, vbmetaMagic, type Algorithm } from './layouts.ts';
export { readAvbFooter, readVbmeta, type AvbFooter, type Vbmeta } from './vbmeta-reader.ts';
export {
  encodePublicKey,
  withFooter,
  writeVbmeta,
  type DescriptorPlan,
  type VbmetaSigner,
} from './vbmeta-writer.ts';
export { matchesHash, verifyVbmeta, type VbmetaVerdict } from './verify.ts';
