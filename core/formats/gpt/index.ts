export { readGpt, type Gpt, type GptPartition } from './read.ts';
export { firstUsableLba, writeGpt, type GptPiece, type GptPlan } from './write.ts';
export { gptRegions, type GptRegion } from './regions.ts';
export { wholeDiskOf } from './cutout.ts';
