import { sizeText } from '../bytes/units.ts';
import { listText } from '../runsheet/check.ts';

/** How soon hands are needed: at once, since a phone or the larder is not whole; today; or when there is time. */
export type Urgency = 'now' | 'soon' | 'later';

/** Where what is to be done is done. */
export type NeedPlace =
  | { readonly is: 'phone' | 'rescue'; readonly serial: string }
  | { readonly is: 'run' | 'set'; readonly id: string }
  | { readonly is: 'connections' | 'larder' | 'order' | 'off-site' | 'seal' };

/** Something that needs hands, and where. */
export interface Need {
  /** The same for the same need, whenever it is looked for. */
  readonly id: string;
  readonly urgency: Urgency;
  readonly title: string;
  readonly sentence: string;
  readonly place: NeedPlace;
  /** What one does there. */
  readonly action: string;
}

export interface NeedingPhone {
  readonly serial: string;
  readonly nickname: string;
  readonly presence: 'here' | 'restarting' | 'looping' | 'away';
  /** Why it should be kept again. */
  readonly due: string | undefined;
  /** It is here, and the larder has no set of it. */
  readonly isNew: boolean;
}

export interface NeedingRun {
  readonly id: string;
  readonly kind: string;
  readonly title: string;
  readonly serial: string | undefined;
  readonly state: string;
  /** Milliseconds since 1970. */
  readonly startedAt: number;
  readonly waitingFor: string | undefined;
  readonly canResume: boolean;
  readonly outcome: string | undefined;
}

/** Everything that needs are found in. */
export interface NeedFacts {
  readonly phones: readonly NeedingPhone[];
  /** The newest first. */
  readonly runs: readonly NeedingRun[];
  /** Partitions that a run began to write and did not prove. */
  readonly halfWritten: readonly {
    readonly serial: string;
    readonly partitions: readonly string[];
    readonly runId: string;
  }[];
  /** Ways to phones at which somebody has to do something, in words. */
  readonly waiting: readonly {
    readonly address: string;
    readonly title: string;
    readonly sentence: string;
  }[];
  readonly damaged: readonly { readonly id: string; readonly label: string; readonly nickname: string }[];
  /** Undefined while it is not known. */
  readonly shelf: ShelfNeeds | undefined;
  /** Of the copies that are set up. */
  readonly offsite: readonly OffsiteNeeds[];
}

export interface ShelfNeeds {
  readonly isLocked: boolean;
  /** Why it is not there. */
  readonly absence: string | undefined;
  readonly freeBytes: number;
  readonly totalBytes: number;
}

export interface OffsiteNeeds {
  readonly copy: 'bucket' | 'disk';
  readonly isLocked: boolean;
  readonly missing: number;
  readonly isAway: boolean;
  readonly fault: string | undefined;
}

const order: readonly Urgency[] = ['now', 'soon', 'later'];
/** Of a disk: with less, room is to be made before it is needed. */
const leastShare = 0.05;
/** Runs that ended badly longer ago were seen. */
const recentMs = 7 * 24 * 60 * 60 * 1000;
const endedBadly = ['failed', 'interrupted', 'incomplete'];

/** What needs hands, the most urgent first. @param now milliseconds since 1970 */
export function needsOf(facts: NeedFacts, now: number): Need[] {
  const found = [
    ...waitingRuns(facts),
    ...halfWritten(facts),
    ...notStarting(facts),
    ...ofShelf(facts),
    ...waitingPhones(facts),
    ...badRuns(facts, now),
    ...damaged(facts),
    ...duePhones(facts),
    ...facts.offsite.flatMap(ofOffsite),
  ];
  return found.sort((a, b) => order.indexOf(a.urgency) - order.indexOf(b.urgency));
}

const waitingRuns = ({ runs }: NeedFacts): Need[] =>
  runs.flatMap(({ id, title, waitingFor }) =>
    waitingFor === undefined
      ? []
      : [
          {
            ...{ id: `waiting ${id}`, urgency: 'now', title },
            ...{ sentence: waitingFor, place: { is: 'run', id }, action: 'Look at the run' },
          },
        ],
  );

const halfWritten = ({ halfWritten: half, phones, runs }: NeedFacts): Need[] =>
  half
    // One that goes on by itself needs nobody.
    .filter(({ runId }) => !runs.some(({ id, state }) => id === runId && isUnderWay(state)))
    .map(({ serial, partitions, runId }) => ({
      ...{ id: `half ${serial}`, urgency: 'now' as const, action: 'Look at the run' },
      title: `${nameOf(phones, serial)} is half written`,
      sentence: `${listText(partitions)} ${partitions.length > 1 ? 'were' : 'was'} begun and not proved. Resume the run, or put ${partitions.length > 1 ? 'them' : 'it'} back again.`,
      place: { is: 'run' as const, id: runId },
    }));

const notStarting = ({ phones }: NeedFacts): Need[] =>
  phones
    .filter(({ presence }) => presence === 'looping')
    .map(({ serial, nickname }) => ({
      ...{ id: `looping ${serial}`, urgency: 'now' as const, action: 'Go to Rescue' },
      title: `${nickname} does not start`,
      sentence: 'It restarts over and over. Rescue finds what is wrong and what repairs it.',
      place: { is: 'rescue' as const, serial },
    }));

function ofShelf({ shelf }: NeedFacts): Need[] {
  if (!shelf) return [];
  const { isLocked, absence, freeBytes, totalBytes } = shelf;
  if (isLocked)
    return [
      {
        ...{ id: 'locked', urgency: 'now', title: 'The larder is locked', action: 'Unlock it' },
        ...{
          sentence: 'Nothing can be kept or put back until its passphrase is given.',
          place: { is: 'seal' },
        },
      },
    ];
  if (absence !== undefined)
    return [
      {
        ...{ id: 'absent', urgency: 'now', title: 'The shelf is not there', sentence: absence },
        ...{ place: { is: 'larder' }, action: 'Go to the larder' },
      },
    ];
  if (freeBytes >= totalBytes * leastShare) return [];
  return [
    {
      ...{ id: 'room', urgency: 'soon', title: 'The disk of the shelf is nearly full' },
      sentence: `${sizeText(freeBytes)} of ${sizeText(totalBytes)} is free. Order shows which sets may go.`,
      ...{ place: { is: 'order' }, action: 'Go to Order' },
    },
  ];
}

const waitingPhones = ({ waiting }: NeedFacts): Need[] =>
  waiting.map(({ address, title, sentence }) => ({
    ...{ id: `way ${address}`, urgency: 'soon' as const, title: `A phone at ${address} ${title}` },
    ...{ sentence, place: { is: 'connections' as const }, action: 'Go to Connections' },
  }));

/** The last run of each kind on each phone, where it ended badly. */
function badRuns({ runs }: NeedFacts, now: number): Need[] {
  const seen = new Set<string>();
  return runs.flatMap((run): Need[] => {
    const key = `${run.kind} ${run.serial ?? ''}`;
    const isLast = !seen.has(key);
    seen.add(key);
    if (!isLast || !endedBadly.includes(run.state) || now - run.startedAt > recentMs) return [];
    return [
      {
        ...{ id: `run ${run.id}`, urgency: 'soon', title: `${run.title}: ${wordsOf(run.state)}` },
        sentence: run.outcome ?? 'Its log says more.',
        ...{ place: { is: 'run', id: run.id }, action: run.canResume ? 'Resume it' : 'Look at the run' },
      },
    ];
  });
}

const wordsOf = (state: string) => (state === 'incomplete' ? 'not complete' : state);

const damaged = ({ damaged: sets }: NeedFacts): Need[] =>
  sets.map(({ id, label, nickname }) => ({
    ...{ id: `damaged ${id}`, urgency: 'soon' as const, title: `“${label}” is damaged` },
    sentence: `What is stored is not what was kept. Image ${nickname} again, or fetch the set from off-site.`,
    ...{ place: { is: 'set' as const, id }, action: 'Look at the set' },
  }));

/** With more of them, one line stands for all. */
const mostDueLines = 3;

function duePhones({ phones }: NeedFacts): Need[] {
  const isNew = phones.filter((phone) => phone.presence === 'here' && phone.isNew);
  const due = phones.filter((phone) => phone.due !== undefined);
  const here = due.filter(({ presence }) => presence === 'here');
  const away = due.filter(({ presence }) => presence === 'away');
  return [
    ...isNew.map(({ serial, nickname }) => ({
      ...{ id: `new ${serial}`, urgency: 'later' as const, action: 'Keep it' },
      title: `${nickname} was never kept`,
      sentence: 'Keep it before anything is changed.',
      place: { is: 'phone' as const, serial },
    })),
    ...(here.length > mostDueLines
      ? together(here, 'here')
      : here.map(({ serial, nickname, due: why }) => ({
          ...{ id: `due ${serial}`, urgency: 'later' as const, action: 'Keep it' },
          title: `${nickname} is due`,
          sentence: `It was ${keptText(why!)}.`,
          place: { is: 'phone' as const, serial },
        }))),
    ...together(away, 'away'),
  ];
}

const together = (phones: readonly NeedingPhone[], where: 'here' | 'away'): Need[] =>
  phones.length === 0
    ? []
    : [
        {
          ...{ id: `due ${where}`, urgency: 'later', action: 'Go to Order', place: { is: 'order' } },
          title:
            phones.length === 1 ? `One phone ${where} is due` : `${phones.length} phones ${where} are due`,
          sentence: `${listText(phones.map(({ nickname, due }) => `${nickname} (${due!})`))}.`,
        },
      ];

/** As whyDue says it, in a sentence. */
const keptText = (due: string) => (due.startsWith('kept') ? due : `kept before ${due.replace(' since', '')}`);

const copies = {
  bucket: { name: 'the off-site copy', where: 'off-site' },
  disk: { name: 'the copy on the second disk', where: 'on the second disk' },
} as const;

function ofOffsite({ copy, isLocked, missing, isAway, fault }: OffsiteNeeds): Need[] {
  const { name, where } = copies[copy];
  const title = name.replace('t', 'T');
  const things = `${missing} ${missing === 1 ? 'set or copy is' : 'sets and copies are'} not ${where} yet`;
  const need = {
    id: `off-site ${copy}`,
    urgency: 'later',
    place: { is: 'off-site' },
    action: 'Go to Off-site',
  } as const;
  if (fault !== undefined && !isLocked && !isAway)
    return [{ ...need, urgency: 'soon', title, sentence: fault }];
  if (missing === 0) return [];
  if (isLocked)
    return [{ ...need, title: `${title} is locked`, sentence: `${things}. Unlock it, and it goes on.` }];
  if (isAway) return [{ ...need, title: `The disk of ${name} is away`, sentence: `${things}. Plug it in.` }];
  return [{ ...need, title: things, sentence: 'It goes on by itself after a while.' }];
}

const isUnderWay = (state: string) => ['queued', 'running', 'paused', 'waiting'].includes(state);

const nameOf = (phones: readonly NeedingPhone[], serial: string): string =>
  phones.find((phone) => phone.serial === serial)?.nickname ?? serial;
