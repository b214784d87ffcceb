export {
  checkSparse,
  readSparse,
  sparseBytes,
  sparseMagic,
  sparsePieces,
  sparseSource,
  type SparseImage,
  type SparsePiece,
} from './sparse-reader.ts';
export {
  planSparse,
  writeSparse,
  type SparseFile,
  type SparseOptions,
  type SparseRun,
} from './sparse-writer.ts';
