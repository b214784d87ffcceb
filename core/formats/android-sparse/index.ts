export {
  readSparse,
  sparseBytes,
  sparseMagic,
  sparsePieces,
  sparseSource,
  type SparseImage,
  type SparsePiece,
} from './read.ts';
export { planSparse, writeSparse, type SparseFile, type SparseOptions, type SparseRun } from './write.ts';
