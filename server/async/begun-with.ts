/** What was taken of a stream already, and then the rest of it, which is ended with this one. */
export async function* begunWith(
  before: Uint8Array,
  rest: AsyncIterator<Uint8Array>,
): AsyncGenerator<Uint8Array> {
  try {
    if (before.length > 0) yield before;
    for (let next = await rest.next(); !next.done; next = await rest.next()) yield next.value;
  } finally {
    await rest.return?.();
  }
}
