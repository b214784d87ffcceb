export { readGpt, type Gpt, type GptPartition } from './gpt-reader.ts';
export { firstUsableLba, writeGpt, type GptPiece, type GptPlan } from './gpt-writer.ts';
export { gptRegions, type GptRegion } from './regions.ts';
export { wholeDiskOf } from './cutout.ts';
