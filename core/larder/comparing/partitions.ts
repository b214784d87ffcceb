/** What of an image is compared. */
export interface ComparedImage {
  readonly partition: string;
  readonly bytes: number;
  /** Lower-case hexadecimal. */
  readonly sha256: string;
  /** Only some of it was read: its digest covers that alone. */
  readonly isPartial: boolean;
}

/** `unknown`: a phone was not asked for it. */
export type PartitionState = 'same' | 'differs' | 'only before' | 'only after' | 'unknown';

export interface PartitionComparison<I extends ComparedImage = ComparedImage> {
  readonly partition: string;
  readonly state: PartitionState;
  readonly before: I | undefined;
  readonly after: I | undefined;
}

/** Compares images of two sets by their digests alone, in the order of the first set, then of the second. */
export function comparePartitions<I extends ComparedImage>(
  before: readonly I[],
  after: readonly I[],
): PartitionComparison<I>[] {
  const others = new Map(after.map((image) => [image.partition, image]));
  const known = new Set(before.map(({ partition }) => partition));
  return [
    ...before.map((image): PartitionComparison<I> => {
      const other = others.get(image.partition);
      const state = !other ? 'only before' : isSame(image, other) ? 'same' : 'differs';
      return { partition: image.partition, state, before: image, after: other };
    }),
    ...after
      .filter(({ partition }) => !known.has(partition))
      .map((image): PartitionComparison<I> => ({
        partition: image.partition,
        state: 'only after',
        before: undefined,
        after: image,
      })),
  ];
}

const isSame = (a: ComparedImage, b: ComparedImage): boolean =>
  a.sha256 === b.sha256 && a.bytes === b.bytes && a.isPartial === b.isPartial;
