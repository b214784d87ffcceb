/** A digest short enough for a label: its first and last four digits. */
export const shortDigest = (digest: string): string => `${digest.slice(0, 4)}…${digest.slice(-4)}`;
