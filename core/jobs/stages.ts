/** How far a job card is, in the order of the work. */
export const jobStages = ['received', 'kept', 'worked on', 'proved', 'handed over'] as const;
export type JobStage = (typeof jobStages)[number];

/** What may be done with a phone, as it was agreed with its owner. */
export interface Agreed {
  /** What is on it is kept before anything is changed. */
  readonly keepFirst: boolean;
  /** User data may be lost. */
  readonly mayLose: boolean;
  /** The shop may look into user data. */
  readonly mayLook: boolean;
}

export const usualAgreement: Agreed = { keepFirst: true, mayLose: false, mayLook: false };

/** What happened with a card's phones while it was open. */
export interface JobEvents {
  /** Sets that were taken from them, and came out whole. */
  readonly wholeSets: number;
  /** Runs that changed one of them and came to their end. */
  readonly changes: number;
  /** What was put back was compared afterwards, and is as it was kept. */
  readonly proofs: number;
}

const rank = (stage: JobStage): number => jobStages.indexOf(stage);

/** How far the work is by what was done; a hand may have set it further. It goes back only by hand. */
export function stageReached(byHand: JobStage, { wholeSets, changes, proofs }: JobEvents): JobStage {
  const reached: JobStage =
    proofs > 0 ? 'proved' : changes > 0 ? 'worked on' : wholeSets > 0 ? 'kept' : 'received';
  return rank(reached) > rank(byHand) ? reached : byHand;
}

export const isOpen = (stage: JobStage): boolean => stage !== 'handed over';

/** What speaks against handing a phone over, in sentences. */
export function beforeHandingOver(
  { keepFirst }: Agreed,
  { wholeSets, changes, proofs }: JobEvents,
  liveRuns: number,
): string[] {
  return [
    ...(liveRuns > 0 ? ['A run on it is under way.'] : []),
    ...(keepFirst && wholeSets === 0 ? ['It was agreed to keep what is on it first; nothing was kept.'] : []),
    ...(changes > 0 && proofs === 0 ? ['It was changed, and not compared with what was kept since.'] : []),
  ];
}
