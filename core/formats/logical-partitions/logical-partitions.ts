export {
  logicalSource,
  looksLikeLogical,
  readLogicalPartitions,
  type LogicalExtent,
  type LogicalPartition,
  type LogicalPartitions,
} from './super-reader.ts';
export { composeSuper, type Composed } from './compose.ts';
export {
  layOutLogical,
  roomFor,
  type LogicalLayout,
  type LogicalPlan,
  type PlannedLogical,
} from './super-writer.ts';
