import type { Duplex } from 'node:stream';

/**
 * What comes out of a transform that parts go into. A part need only be good until the next one is asked for; what the
 * parts throw is thrown once all that came before it has come out.
 * @throws Error of the transform, where it cannot make anything of the parts
 */
export async function* through(
  transform: Duplex,
  parts: AsyncIterable<Uint8Array>,
): AsyncGenerator<Uint8Array> {
  let broke: { readonly reason: unknown } | undefined;
  const give = (part: Uint8Array) =>
    new Promise<void>((resolve, reject) =>
      transform.write(part, (error) => (error ? reject(error) : resolve())),
    );
  const giving = (async () => {
    try {
      for await (const part of parts) await give(part);
    } catch (reason) {
      broke = { reason };
    }
    transform.end();
  })();
  try {
    for await (const part of transform as AsyncIterable<Uint8Array>) yield part;
    await giving;
  } catch (error) {
    // Where what goes in broke off, what comes out is incomplete because of that.
    if (broke && !transform.errored) throw broke.reason;
    throw error;
  } finally {
    transform.destroy();
  }
  if (broke) throw broke.reason;
}
