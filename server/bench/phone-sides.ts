import { PhoneFindings, type PhoneSide } from '../larder/comparing/phone-side.ts';
import { Problem } from '../failures.ts';
import type { Bench } from './bench.ts';

/** Phones as they are now, for comparing sets with them. */
export class PhoneSides {
  readonly findings = new PhoneFindings();

  constructor(private readonly bench: Bench) {}

  /** @throws Problem 404, or 409 where it does not answer or its mode reads nothing */
  async of(serial: string, setId: string): Promise<PhoneSide> {
    const { bench } = this;
    const { nickname } = bench.view(serial);
    const access = bench.access(serial);
    const partitions = await bench.partitions(serial);
    const findings = this.findings.of(partitions, setId);
    const asked = [...findings.values()].map(({ at }) => at);
    return {
      set: {
        id: `phone:${serial}`,
        label: `${nickname} as it is now`,
        ...{
          serial,
          nickname,
          createdAt: asked.length > 0 ? Math.min(...asked) : Date.now(),
          imported: false,
          binnedAt: undefined,
        },
        condition: bench.facts(serial).condition,
      },
      partitions,
      findings,
      source(name) {
        const found = partitions.find((each) => each.name === name);
        if (!found) throw new Problem(404, `${nickname} has no partition ${name} in this mode.`);
        return access.source(name, found.bytes);
      },
    };
  }
}
