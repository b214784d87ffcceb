/** Partitions are compared with images in pieces of these sizes: coarse ones first, fine ones where those differ. Smaller ones are not compared. */
export const coarseBytes = 16 << 20;
export const fineBytes = 1 << 20;
