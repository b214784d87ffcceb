/** Hands a stream on and tells its bytes once each piece has been taken. */
export async function* counted(
  parts: AsyncIterable<Uint8Array>,
  passed: (bytes: number) => void,
): AsyncGenerator<Uint8Array> {
  for await (const part of parts) {
    yield part;
    passed(part.length);
  }
}
