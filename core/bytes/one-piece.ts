/** Bytes at hand, where a stream of them is wanted. */
export async function* onePiece(bytes: Uint8Array): AsyncGenerator<Uint8Array> {
  yield await Promise.resolve(bytes);
}
