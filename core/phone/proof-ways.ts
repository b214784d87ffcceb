/**
 * How it is proved that an image is what the phone holds: by a digest that the phone computes of its own flash, or, where
 * it has no tool for that, by reading it a second time.
 */
export const proofWays = ['sha256', 'md5', 'second reading'] as const;
export type ProofWay = (typeof proofWays)[number];

/** What proves an image, after “Proved by”. */
export const proofWords: Readonly<Record<ProofWay, string>> = {
  sha256: 'the phone’s own SHA-256',
  md5: 'the phone’s own MD5',
  'second reading': 'reading it a second time',
};
