import { listText } from '../runsheet/check.ts';
import type { IdentityOrigin } from '../runsheet/restoring/facts.ts';

/** An identity image that nothing read from its phone has the bytes of. */
export interface Untraced {
  readonly partition: string;
  readonly origin: IdentityOrigin;
}

/** What a set says of such images, in sentences; for as long as it is kept. */
export function untracedTexts(untraced: readonly Untraced[]): string[] {
  const unproved = untraced
    .filter(({ origin }) => origin.is === 'unproved')
    .map(({ partition }) => partition);
  const texts = untraced.flatMap(({ partition, origin }) =>
    origin.is === 'foreign'
      ? [`${partition} is the identity of ${listText(origin.serials)}: it never goes onto this phone.`]
      : [],
  );
  if (unproved.length === 0) return texts;
  const [carries, came] = unproved.length > 1 ? ['carry', 'they'] : ['carries', 'it'];
  return [
    ...texts,
    `Whose identity ${listText(unproved)} ${carries} is not known: ${came} came as ${unproved.length > 1 ? 'files' : 'a file'}, and nothing that was read from this phone has the same bytes.`,
  ];
}
