/**
 * How much a test tries: a small fixed sample on every run of the tests, sweeps with `npm run kills`. What is proved is
 * the same.
 */
const asked = (name: string): number | undefined => {
  const value = process.env[name];
  return value === undefined ? undefined : Number(value);
};

/** `npm run kills` or `npm run faults` is under way. */
export const isLong =
  asked('KEEN_LARDER_FAULTS') !== undefined || asked('KEEN_LARDER_FAULT_SECONDS') !== undefined;

/** All of what is tried with `npm run kills`, else the first few, which stand for them. */
export const usually = <T>(all: readonly T[], few: number): readonly T[] =>
  isLong ? all : all.slice(0, few);

/** Seeds of each fault. */
export const faultSeeds = (few: number): number => asked('KEEN_LARDER_FAULTS') ?? few;

/** Points at which the program is killed. */
export const killPoints = (few: number): number => asked('KEEN_LARDER_KILLS') ?? few;

/** Damaged inputs that each reader is given; all of them with `npm run fuzz`. */
export const fuzzInputs = (few: number): number => asked('KEEN_LARDER_FUZZ_RUNS') ?? few;
