export { sparsePieces, type SparsePiece } from './read.ts';
