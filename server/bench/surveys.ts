import type { PhoneFacts } from '@keen-larder/core/phone/facts.ts';
import type { CableMemory } from '@keen-larder/core/phone/cable-choice.ts';
import type { Survey } from '@keen-larder/core/phone/survey.ts';
import type { CableStatements } from '../database/cables.ts';
import type { SurveyStatements } from '../database/surveys.ts';
import type { PhoneLink } from '../links/phone-link.ts';

/** What was found out about phones: surveys, each remembered for its mode and build, and how fast their cables are. */
export class Surveys {
  constructor(
    private readonly statements: SurveyStatements,
    private readonly cables: CableStatements,
    private readonly now: () => number,
    /** What crosses cables may be packed. */
    private readonly mayPack = true,
  ) {}

  /** A link goes by what was measured before over its cable, and what it measures is remembered. */
  rememberCable(serial: string, { description, partitions }: PhoneLink): void {
    const cable = partitions?.cable;
    if (!cable) return;
    if (!this.mayPack) {
      cable.carryPlainly();
      return;
    }
    const row = this.cables.one(serial, description);
    if (row) cable.recall(JSON.parse(row.memory) as CableMemory);
    cable.onMeasured = (memory) => {
      try {
        this.cables.save({ serial, link: description, memory: JSON.stringify(memory) });
      } catch {
        // On a full disk it is measured again another time.
      }
    };
  }

  /** The last one of a phone as it is now. */
  of(facts: PhoneFacts): Survey | undefined {
    const row = this.statements.one(facts.serial, facts.mode, buildOf(facts));
    return row && (JSON.parse(row.survey) as Survey);
  }

  /** Makes one and remembers it. @throws PhoneFailure */
  async make(link: PhoneLink, facts: PhoneFacts, signal?: AbortSignal): Promise<Survey> {
    const build = buildOf(facts);
    const survey: Survey = { at: this.now(), build, ...(await link.survey(signal)) };
    this.statements.save({ serial: facts.serial, mode: facts.mode, build, survey: JSON.stringify(survey) });
    return survey;
  }
}

/** A recovery may be exchanged under the same system: what it says of itself counts as well. */
export const buildOf = ({ condition, variables }: PhoneFacts): string =>
  condition.fingerprint ?? condition.build ?? variables?.['version-bootloader'] ?? '';
