export { diagnose, type DiagnosisFacts, type Finding } from './diagnose.ts';
export {
  promiseOf,
  repairsOf,
  type GoodSet,
  type Outcome,
  type Repair,
  type RepairFacts,
} from './repairs.ts';
