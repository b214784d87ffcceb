export {
  logicalSource,
  looksLikeLogical,
  readLogicalPartitions,
  type LogicalExtent,
  type LogicalPartition,
  type LogicalPartitions,
} from './read.ts';
export { composeSuper, type Composed } from './compose.ts';
export {
  layOutLogical,
  roomFor,
  type LogicalLayout,
  type LogicalPlan,
  type PlannedLogical,
} from './write.ts';
