import { digestsOf } from '../shelf/manifest.ts';
import type { Shelf, ShelfFinding } from '../shelf/shelf.ts';

/** What rebuilding works on. */
interface Rebuildable {
  readonly shelf: Shelf;
  /** Holds every manifest against the catalogue; see `ManifestLedger.rebuild`. */
  rebuildLedgers(isOlder: boolean): Promise<ShelfFinding[]>;
  /** Everything that is kept, with the chunks that it needs. */
  chunkListsByName(): Iterable<{ readonly name: string; readonly chunks: Buffer }>;
}

/**
 * Makes catalogue and shelf agree, whatever happened to either: brings freed packs back, reads every pack, and holds every
 * manifest against the catalogue. What the manifests say counts; what only the catalogue has goes into the bin.
 * @param passed told the bytes of packs as they are read
 * @returns what was found; a warning is what could not be brought back, and says what to do
 * @throws ShelfFailure where the shelf is not there
 */
export async function rebuild(
  larder: Rebuildable,
  passed: (bytes: number) => void = () => undefined,
): Promise<ShelfFinding[]> {
  const { shelf } = larder;
  shelf.requireThere();
  const isOlder = shelf.doubts.size > 0;
  shelf.doubts.clear();
  const findings = await shelf.bringBackFreed();
  await shelf.checkAll(passed);
  findings.push(...(await larder.rebuildLedgers(isOlder)));
  if (shelf.doubts.size === 0) await shelf.settle();
  const hurt = new Set<string>();
  for (const { name, chunks } of larder.chunkListsByName())
    if (digestsOf(chunks).some((digest) => digest && !shelf.has(digest))) hurt.add(name);
  for (const name of hurt) {
    const text = `${name} needs bytes that are damaged or missing on the shelf. Keep it again from the phone, and it is whole again.`;
    findings.push({ level: 'warning', text });
  }
  return findings;
}
