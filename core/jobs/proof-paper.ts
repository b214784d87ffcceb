import { dayText } from '../larder/label.ts';
import type { ProofRow } from '../phone/proof.ts';
import type { Report, ReportBlock, Shop } from './report.ts';

/** What a proof of return is written from. `at` in milliseconds since 1970. */
export interface ProofFacts {
  readonly shop: Shop;
  readonly nickname: string;
  readonly serial: string;
  readonly at: number;
  readonly label: string;
  readonly rows: readonly ProofRow[];
  readonly partitions: readonly {
    readonly partition: string;
    readonly bytes: number;
    readonly sha256: string;
  }[];
}

/** What a comparison came to, in words. */
export const proofResults: Readonly<Record<ProofRow['result'], string>> = {
  same: 'same',
  expected: 'differs, as planned',
  different: 'different',
  unknown: 'unknown',
};

/** The proof of return, on paper. @param minutesEast of UTC, at a time */
export function proofReport(facts: ProofFacts, minutesEast: (at: number) => number): Report {
  const { shop, nickname, serial, at, label, rows, partitions } = facts;
  return {
    title: 'Proof of return',
    shop,
    blocks: [
      {
        is: 'facts',
        rows: [
          ['Phone', `${nickname}, serial ${serial}`],
          ['Compared', dayText(new Date(at), minutesEast(at))],
          ['With', label],
        ],
      },
      { is: 'heading', text: 'What the phone says of itself' },
      { is: 'facts', rows: rows.map((row) => [row.what, resultText(row)]) },
      ...written(partitions),
    ],
  };
}

function resultText({ kept, now, result, reason }: ProofRow): string {
  const verdict = proofResults[result];
  const values = result === 'same' ? (now ?? 'none') : `kept ${kept ?? 'none'}, now ${now ?? 'none'}`;
  return `${verdict}: ${values}${reason ? ` (${reason})` : ''}`;
}

function written(partitions: ProofFacts['partitions']): ReportBlock[] {
  if (partitions.length === 0) return [];
  return [
    { is: 'annex', text: 'Checksums of what was written' },
    {
      is: 'small',
      text: 'SHA-256 of each partition, computed by the phone itself after writing and before it started. Each one is that of the kept image.',
    },
    ...partitions.map(({ partition, bytes, sha256 }): ReportBlock => ({
      is: 'digest',
      name: `${partition}, ${bytes.toLocaleString('en')} bytes`,
      sha256,
    })),
  ];
}
