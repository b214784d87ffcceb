export {
  logicalSource,
  looksLikeLogical,
  readLogicalPartitions,
  type LogicalExtent,
  type LogicalPartition,
  type LogicalPartitions,
} from './read.ts';
