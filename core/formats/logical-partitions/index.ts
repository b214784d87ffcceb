export {
  logicalSource,
  looksLikeLogical,
  readLogicalPartitions,
  type LogicalExtent,
  type LogicalPartition,
  type LogicalPartitions,
} from './read.ts';
export { writeLogicalPartitions, type LogicalPlan } from './write.ts';
