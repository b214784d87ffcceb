import { isWell, type Forecast, type Slot } from '../boot/boot.ts';
import { isNeverWritten, splitSlot, type Role } from '../phone/roles.ts';
import type { Finding } from './diagnose.ts';

/** A set that repairs can be made of: of this very phone, complete and not damaged. */
export interface GoodSet {
  readonly setId: string;
  readonly label: string;
  readonly slot: Slot | undefined;
  readonly images: readonly {
    readonly partition: string;
    readonly role: Role;
    readonly bytes: number;
    /** Nothing but zeros lies in it. */
    readonly isEmpty: boolean;
  }[];
}

/** What may mend a phone. */
export interface Repair {
  readonly id: string;
  readonly title: string;
  readonly sentence: string;
  readonly setId: string | undefined;
  readonly partitions: readonly string[];
  readonly activate?: Slot;
}

interface Level {
  readonly id: string;
  readonly title: string;
  readonly sentence: string;
  takes(image: GoodSet['images'][number], facts: RepairFacts): boolean;
}

export interface RepairFacts {
  readonly findings: readonly Finding[];
  /** Newest first. */
  readonly sets: readonly GoodSet[];
  /** Names of the phone's partitions; none where the mode does not tell. */
  readonly partitions: readonly string[];
  readonly activeSlot: Slot | undefined;
  readonly lostIdentity: readonly string[];
  readonly halfWritten: readonly string[];
}

const base = (name: string) => splitSlot(name).base;

/** From the smallest to the largest. */
const levels: readonly Level[] = [
  {
    id: 'half-written',
    title: 'What is half written',
    sentence: 'Only the partitions that a run left in the middle.',
    takes: ({ partition }, { halfWritten }) => halfWritten.includes(partition),
  },
  {
    id: 'identity',
    title: 'Identity only',
    sentence: 'Only what carries the IMEI and calibration, from a set of this very phone.',
    takes: ({ partition, role, isEmpty }, { lostIdentity, findings }) =>
      role === 'identity' &&
      !isEmpty &&
      (lostIdentity.length > 0
        ? lostIdentity.includes(partition)
        : findings.some(({ id }) => id === 'identity-lost')),
  },
  {
    id: 'recovery',
    title: 'Recovery only',
    sentence: 'For a phone whose recovery no longer comes up; its system is left alone.',
    takes: ({ partition }) => base(partition) === 'recovery',
  },
  {
    id: 'boot',
    title: 'Boot only',
    sentence: 'The kernel that starts the system, and nothing else.',
    takes: ({ partition }) => base(partition) === 'boot',
  },
  {
    id: 'early-loader',
    title: 'Early loader',
    sentence: 'The first programs of the flash, which start everything else.',
    takes: ({ role }) => role === 'early-loader',
  },
  {
    id: 'boot-chain',
    title: 'Boot chain',
    sentence: 'Everything that is signed and started together, recovery included.',
    takes: ({ role }) => role === 'boot-chain',
  },
  {
    id: 'system',
    title: 'System',
    sentence: 'The system’s partitions; apps and user data stay.',
    takes: ({ role }) => role === 'system',
  },
  {
    id: 'boot-and-system',
    title: 'Boot chain and system',
    sentence: 'One build from end to end; apps and user data stay.',
    takes: ({ role }) => role === 'boot-chain' || role === 'system',
  },
  {
    id: 'all-but-user-data',
    title: 'Everything but user data',
    sentence: 'Early loader, radio and identity as well; apps and user data stay.',
    takes: ({ role }) => role !== 'user-data' && role !== 'scratch',
  },
  {
    id: 'everything',
    title: 'Everything',
    sentence: 'The whole phone as it was kept. What is on it now is lost.',
    takes: () => true,
  },
];

/** Repairs that the larder allows, from the smallest to the largest; each from the newest set that has it all. */
export function repairsOf(facts: RepairFacts): Repair[] {
  const found: Repair[] = [];
  const slot = wantedSlot(facts);
  if (slot) {
    found.push({
      id: 'slot',
      title: `Switch to slot ${slot}`,
      sentence: 'Writes no image: only says which slot starts.',
      setId: undefined,
      partitions: [],
      activate: slot,
    });
  }
  for (const level of levels) {
    const repair = repairAt(level, facts);
    // The same partitions as a smaller one would be the same repair under another name.
    if (repair && !found.some((each) => same(each.partitions, repair.partitions))) found.push(repair);
  }
  return found;
}

function wantedSlot({ findings, activeSlot, sets }: RepairFacts): Slot | undefined {
  if (!findings.some(({ id }) => id === 'other-slot' || id === 'slot-cannot-start')) return undefined;
  const kept = sets.find(({ slot }) => slot !== undefined)?.slot;
  return kept ?? (activeSlot === 'a' ? 'b' : 'a');
}

function repairAt(level: Level, facts: RepairFacts): Repair | undefined {
  const { sets, partitions } = facts;
  const fits = (name: string) =>
    !isNeverWritten(name) && (partitions.length === 0 || partitions.includes(name));
  const takenFrom = (set: GoodSet) =>
    set.images
      .filter(
        (image) => fits(image.partition) && inSlot(image.partition, set.slot) && level.takes(image, facts),
      )
      .map(({ partition }) => partition);
  const most = Math.max(0, ...sets.map((set) => takenFrom(set).length));
  const set = sets.find((each) => most > 0 && takenFrom(each).length === most);
  return (
    set && {
      id: level.id,
      title: level.title,
      sentence: level.sentence,
      setId: set.setId,
      partitions: takenFrom(set),
    }
  );
}

/** The other slot's images do not start what was kept. */
const inSlot = (name: string, slot: Slot | undefined) => {
  const own = splitSlot(name).slot;
  return own === undefined || slot === undefined || own === slot;
};

const same = (a: readonly string[], b: readonly string[]) =>
  a.length === b.length && a.every((name) => b.includes(name));

const aside = ['identity', 'recovery'];

/** Whether a repair takes away every fault that was found. */
export type Outcome = 'mends' | 'may-mend' | 'does-not';

/**
 * What a repair promises.
 * @param after how the phone starts with it; undefined where nobody can tell
 */
export function promiseOf(
  repair: Repair,
  after: Forecast | undefined,
  { findings, lostIdentity, halfWritten }: Pick<RepairFacts, 'findings' | 'lostIdentity' | 'halfWritten'>,
  model: string,
): Outcome {
  let isSure = true;
  for (const { id, severity } of findings) {
    if (severity !== 'fault' && id !== 'not-judged') continue;
    const has = (names: readonly string[]) => names.every((name) => repair.partitions.includes(name));
    switch (id) {
      case 'half-written':
        if (!has(halfWritten)) return 'does-not';
        break;
      case 'identity-lost':
        if (lostIdentity.length > 0 ? !has(lostIdentity) : !/^(identity|all-but|everything)/.test(repair.id))
          return 'does-not';
        if (lostIdentity.length === 0) isSure = false;
        break;
      case 'another-model':
        if (!after) isSure = false;
        else if (after.system?.model !== model) return 'does-not';
        break;
      case 'other-slot':
      case 'slot-cannot-start':
        if (after ? !isWell(after) : !repair.activate) return 'does-not';
        if (!after) isSure = false;
        break;
      default:
        // Where nobody can tell, these at least have nothing to do with how a system starts.
        if (!after && aside.includes(repair.id)) return 'does-not';
        if (!after) isSure = false;
    }
  }
  if (after && !isWell(after)) return 'does-not';
  return isSure && after ? 'mends' : 'may-mend';
}
