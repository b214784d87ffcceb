import { rangesBytes, type ByteRange } from '../bytes/ranges.ts';
import { sizeText } from '../bytes/units.ts';
import { dayText } from '../larder/label.ts';
import type { ProofRow } from '../phone/proof.ts';
import { listText } from '../runsheet/check.ts';
import type { Agreed } from './stages.ts';

/** Whose paper it is. */
export interface Shop {
  readonly name: string;
  /** Lines of it. */
  readonly address: string;
}

/** What a hand-over report is written from. Times in milliseconds since 1970. */
export interface ReportFacts {
  readonly shop: Shop;
  readonly number: number;
  readonly who: string;
  readonly complaint: string;
  readonly agreed: Agreed;
  readonly arrival: string;
  readonly accessories: string;
  readonly openedAt: number;
  readonly handedOverAt: number | undefined;
  readonly phones: readonly {
    readonly nickname: string;
    readonly maker: string;
    readonly model: string;
    readonly serial: string;
  }[];
  readonly runs: readonly { readonly kind: string; readonly state: string; readonly startedAt: number }[];
  readonly sets: readonly {
    readonly label: string;
    readonly createdAt: number;
    readonly complete: boolean;
    readonly images: readonly {
      readonly partition: string;
      readonly bytes: number;
      readonly sha256: string;
      readonly ranges: readonly ByteRange[] | undefined;
    }[];
  }[];
  readonly copyCount: number;
  /** Comparisons with what was kept, the oldest first. */
  readonly proofs: readonly {
    readonly at: number;
    readonly label: string;
    readonly rows: readonly ProofRow[];
  }[];
}

/** A piece of a report, one below the other. */
export type ReportBlock =
  | { readonly is: 'heading' | 'text' | 'small'; readonly text: string }
  | { readonly is: 'facts'; readonly rows: readonly (readonly [name: string, value: string])[] }
  | { readonly is: 'list'; readonly items: readonly string[] }
  /** Begins on a page of its own. */
  | { readonly is: 'annex'; readonly text: string }
  | { readonly is: 'digest'; readonly name: string; readonly sha256: string };

export interface Report {
  readonly title: string;
  readonly shop: Shop;
  readonly blocks: readonly ReportBlock[];
}

/** What was done, in the words of somebody who owns a phone. */
const deeds: Readonly<Record<string, string>> = {
  restoring: 'Software was put back onto it, each part proved by the phone itself.',
  'putting-apps': 'Apps were put back onto it.',
  'changing-apps': 'Apps were turned off, or on again.',
  'removing-leftovers': 'What removed apps had left on it was cleared away.',
  'installing-waiting': 'Programs of apps were installed on it.',
  'putting-shared': 'Photos and files were put onto it.',
  'putting-records': 'Personal records were put back onto it.',
  locking: 'Its bootloader was locked or unlocked.',
};

/** The report that goes with a phone when it is handed over. @param minutesEast of UTC, at a time */
export function handOverReport(facts: ReportFacts, minutesEast: (at: number) => number): Report {
  const { shop, number, who, phones, agreed } = facts;
  const day = (at: number) => dayText(new Date(at), minutesEast(at));
  const heading = (text: string): ReportBlock => ({ is: 'heading', text });
  const list = (items: readonly string[]): ReportBlock => ({ is: 'list', items });
  return {
    title: `Hand-over report · job ${number}`,
    shop,
    blocks: [
      {
        is: 'facts',
        rows: [
          ['For', who],
          ...phones.map((phone): [string, string] => [
            'Phone',
            `${phone.maker} ${phone.model}, serial ${phone.serial}`,
          ]),
          ['Received', day(facts.openedAt)],
          ['Handed over', facts.handedOverAt === undefined ? 'not yet' : day(facts.handedOverAt)],
          ...optional('On arrival', facts.arrival),
          ...optional('Accessories', facts.accessories),
        ],
      },
      ...(facts.complaint ? [heading('What was wrong'), { is: 'text' as const, text: facts.complaint }] : []),
      heading('What was agreed'),
      list([
        agreed.keepFirst ? 'What is on it is kept before anything is changed.' : 'It need not be kept first.',
        agreed.mayLose ? 'User data may be lost.' : 'User data must not be lost.',
        agreed.mayLook ? 'The shop may look into user data.' : 'The shop does not look into user data.',
      ]),
      heading('What was done'),
      list(doneItems(facts, day)),
      ...proofBlocks(facts, day),
      ...annex(facts, day),
    ],
  };
}

const optional = (name: string, value: string): [string, string][] => (value ? [[name, value]] : []);

function doneItems({ runs, sets, copyCount }: ReportFacts, day: (at: number) => string): string[] {
  const items = sets.map(({ createdAt, images, complete }) => ({
    at: createdAt,
    text: `${listText(images.map(({ partition }) => partition))} ${images.length > 1 ? 'were' : 'was'} kept, ${sizeText(images.reduce((sum, { bytes }) => sum + bytes, 0))}${complete ? '' : '; not all of it could be read'}.`,
  }));
  const changes = runs.flatMap(({ kind, state, startedAt }) => {
    const text = deeds[kind];
    return text !== undefined && state === 'done' ? [{ at: startedAt, text }] : [];
  });
  const all = [...items, ...changes].sort((a, b) => a.at - b.at).map(({ at, text }) => `${day(at)}: ${text}`);
  if (copyCount > 0)
    all.push(
      `${copyCount} ${copyCount === 1 ? 'copy' : 'copies'} of apps and personal records ${copyCount === 1 ? 'was' : 'were'} taken.`,
    );
  return all.length > 0 ? all : ['Nothing was kept and nothing was changed.'];
}

function proofBlocks({ proofs }: ReportFacts, day: (at: number) => string): ReportBlock[] {
  const last = proofs.at(-1);
  if (!last) return [];
  const differing = last.rows.filter(({ result }) => result === 'different');
  const unknown = last.rows.filter(({ result }) => result === 'unknown').map(({ what }) => what);
  const same = last.rows.filter(({ result }) => result === 'same').map(({ what }) => what);
  return [
    { is: 'heading', text: 'How it was proved' },
    {
      is: 'text',
      text: `On ${day(last.at)} the running phone was compared with “${last.label}”, which was kept before.`,
    },
    {
      is: 'list',
      items: [
        ...(same.length > 0 ? [`As it was: ${listText(same)}.`] : []),
        ...last.rows.flatMap(({ what, result, reason, kept, now }) =>
          result === 'expected'
            ? [`${what}: ${kept ?? 'none'}, now ${now ?? 'none'}. ${reason ?? ''}`.trim()]
            : [],
        ),
        ...differing.map(
          ({ what, kept, now }) => `${what} differs: ${kept ?? 'none'}, now ${now ?? 'none'}.`,
        ),
        ...(unknown.length > 0 ? [`Not known: ${listText(unknown)}.`] : []),
      ],
    },
  ];
}

function annex({ sets }: ReportFacts, day: (at: number) => string): ReportBlock[] {
  if (sets.every(({ images }) => images.length === 0)) return [];
  return [
    { is: 'annex', text: 'Checksums of what was kept' },
    {
      is: 'small',
      text: 'SHA-256 over all bytes of each part, as the phone itself computed it where it could. Whoever has the bytes can compute them again with any tool.',
    },
    ...sets.flatMap(({ label, createdAt, images }): ReportBlock[] => [
      { is: 'heading', text: `“${label}”, ${day(createdAt)}` },
      ...images.map(({ partition, bytes, sha256, ranges }): ReportBlock => {
        const covered = ranges ? `, over the ${rangesBytes(ranges).toLocaleString('en')} bytes in use` : '';
        return { is: 'digest', name: `${partition}, ${bytes.toLocaleString('en')} bytes${covered}`, sha256 };
      }),
    ]),
  ];
}
