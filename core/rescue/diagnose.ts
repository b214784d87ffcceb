import { isWell, type Forecast } from '../boot/boot.ts';
import { activeSlotOf, type PhoneFacts } from '../phone/facts.ts';
import { listText } from '../runsheet/check.ts';

/** What is wrong with a phone, or worth knowing before it is mended. */
export interface Finding {
  readonly id:
    | 'half-written'
    | 'does-not-start'
    | 'slot-cannot-start'
    | 'other-slot'
    | 'identity-lost'
    | 'another-model'
    | 'not-judged'
    | 'no-fault';
  readonly severity: 'fault' | 'note' | 'good';
  readonly title: string;
  readonly sentence: string;
}

/** What is known of a phone that is to be rescued. */
export interface DiagnosisFacts {
  /** `looping`: it comes and goes by itself. */
  readonly presence: 'here' | 'restarting' | 'looping' | 'away';
  /** Of a phone that answers. */
  readonly phone: PhoneFacts | undefined;
  /** What it is known to be, from modes that know. */
  readonly maker: string;
  readonly model: string;
  /** How it starts as it is; undefined where its bytes cannot be read. */
  readonly forecast: Forecast | undefined;
  /** The slot that it started from when it was last kept. */
  readonly keptSlot: 'a' | 'b' | undefined;
  /** Identity partitions that hold nothing any more, though something is kept of them. */
  readonly lostIdentity: readonly string[];
  /** Partitions that a run began to write and did not prove. */
  readonly halfWritten: readonly string[];
}

const titles: Readonly<Record<Exclude<Forecast['result'], 'starts' | 'warns'>, string>> = {
  loops: 'It restarts over and over',
  refused: 'Its bootloader goes no further',
  dead: 'Not even its bootloader runs',
};

/** Everything that can be told is wrong, the likeliest cause first. */
export function diagnose(facts: DiagnosisFacts): Finding[] {
  const faults = rules.flatMap((rule) => rule(facts));
  if (faults.some(({ severity }) => severity === 'fault')) return faults;
  const { forecast, phone } = facts;
  if (!forecast && phone?.mode !== 'system') return [...faults, notJudged(facts)];
  return [
    ...faults,
    {
      id: 'no-fault',
      severity: 'good',
      title: 'No fault found',
      sentence: forecast
        ? `Computed from its partitions, it starts: ${forecast.reason}.`
        : 'It runs, and what it says of itself is right.',
    },
  ];
}

type Rule = (facts: DiagnosisFacts) => Finding[];
const fault = (id: Finding['id'], title: string, sentence: string): Finding[] => [
  { id, severity: 'fault', title, sentence },
];

const halfWritten: Rule = ({ halfWritten: names }) =>
  names.length === 0
    ? []
    : fault(
        'half-written',
        `${listText(names)} ${names.length > 1 ? 'are' : 'is'} half written`,
        'A run broke off in the middle. Resume it, or put these partitions back.',
      );

const doesNotStart: Rule = ({ forecast, presence }) => {
  if (forecast && !isWell(forecast) && forecast.result !== 'starts' && forecast.result !== 'warns') {
    return fault(
      'does-not-start',
      titles[forecast.result],
      `Computed from its partitions: ${forecast.reason}.`,
    );
  }
  return presence === 'looping'
    ? fault(
        'does-not-start',
        titles.loops,
        'It appeared and went away several times without starting. In a mode that can read its partitions, Rescue finds out why.',
      )
    : [];
};

/** What a bootloader tells of its slots, where it reads nothing out. */
const slots: Rule = ({ phone, keptSlot, forecast }) => {
  const { variables } = phone ?? {};
  const current = phone && activeSlotOf(phone);
  if (!current) return [];
  const other = current === 'a' ? 'b' : 'a';
  const cannot = (slot: string) => variables?.[`slot-unbootable:${slot}`] === 'yes';
  if (cannot(current)) {
    return fault(
      'slot-cannot-start',
      `Slot ${current} is marked as not bootable`,
      'The bootloader gave it up after too many failed starts, or somebody marked it so.',
    );
  }
  if (keptSlot === other && (cannot(other) || (forecast && !isWell(forecast)))) {
    return fault(
      'other-slot',
      `It starts from slot ${current}`,
      `When it was last kept it started from slot ${other}${cannot(other) ? ', which is now marked as not bootable' : ''}.`,
    );
  }
  return [];
};

const identityLost: Rule = ({ lostIdentity, phone }) => {
  if (lostIdentity.length > 0) {
    return fault(
      'identity-lost',
      `${listText(lostIdentity)} ${lostIdentity.length > 1 ? 'hold' : 'holds'} nothing`,
      'Identity and calibration are gone: it has no IMEI and reaches no network. No firmware brings them back, only an image of this very phone.',
    );
  }
  return phone?.condition.hasImei === false
    ? fault(
        'identity-lost',
        'It has no IMEI',
        'It runs, and says that it has none. An identity partition is damaged.',
      )
    : [];
};

/** A system that takes its phone for another. */
const anotherModel: Rule = ({ maker, model, phone, forecast }) => {
  const said =
    phone?.mode === 'system' ? { maker: phone.maker, model: phone.model } : (forecast?.system ?? undefined);
  if (!said?.model || !said.maker || (said.model === model && said.maker === maker)) return [];
  return fault(
    'another-model',
    `Its system takes it for a ${said.maker} ${said.model}`,
    `It is a ${maker} ${model}. The system, or its properties, are of another model: apps and updates will be the wrong ones.`,
  );
};

function notJudged({ phone, presence }: DiagnosisFacts): Finding {
  return {
    id: 'not-judged',
    severity: 'note',
    title: phone
      ? 'Its bytes cannot be read in this mode'
      : presence === 'away'
        ? 'It does not answer'
        : 'It is not up',
    sentence: phone
      ? `${phone.mode === 'bootloader' ? 'A bootloader' : 'This mode'} reads nothing out. Recovery that gives root, or loader mode, does: then its bytes tell what is wrong.`
      : 'Try the modes below one after the other, the keys held while it starts.',
  };
}

const rules: readonly Rule[] = [halfWritten, slots, doesNotStart, identityLost, anotherModel];
