/** What an image was found to be. */
export interface Inspection {
  readonly format: string;
  /** Size of the input. */
  readonly bytes: number;
  readonly fields: Readonly<Record<string, string | number>>;
  /** Partitions, parts or the like, a line each. */
  readonly rows: readonly string[];
  /** What is wrong with it though it can be read. */
  readonly findings: readonly string[];
  /** What lies inside and was recognised in turn. */
  readonly inner: readonly { readonly name: string; readonly inspection: Inspection }[];
}

/** An inspection with what its format does not have left out. */
export const inspection = (
  format: string,
  bytes: number,
  found: Partial<Omit<Inspection, 'format' | 'bytes'>> = {},
): Inspection => ({ format, bytes, fields: {}, rows: [], findings: [], inner: [], ...found });

/** All findings, those of what lies inside with where that is. */
export function allFindings({ findings, inner }: Inspection): string[] {
  return [
    ...findings,
    ...inner.flatMap(({ name, inspection: each }) => allFindings(each).map((text) => `${name}: ${text}`)),
  ];
}
