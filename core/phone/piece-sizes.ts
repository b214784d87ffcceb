/** Partitions are compared with images in pieces of these sizes: coarse ones first, fine ones where those differ. */
export const coarseBytes = 16 << 20;
export const fineBytes = 1 << 20;

/** Whether what differs is looked for in something of that size; less is read or written at once. */
export const isComparedInPieces = (bytes: number): boolean => bytes > coarseBytes;
