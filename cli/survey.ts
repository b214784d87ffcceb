import type { PhoneFacts } from '@keen-larder/core/phone/facts.ts';
import { surveyReport, waysFor, type Survey } from '@keen-larder/core/phone/survey.ts';
import { buildOf } from '@keen-larder/server/bench/surveys.ts';
import { openHome } from '@keen-larder/server/disk/home.ts';
import { NobodyThere, PhoneFailure } from '@keen-larder/server/failures.ts';
import { AdbLink } from '@keen-larder/server/links/adb/adb-link.ts';
import { adbKeyOf } from '@keen-larder/server/links/adb/key.ts';
import { AdbServer } from '@keen-larder/server/links/adb/server.ts';
import { isLinkAddress, openLink } from '@keen-larder/server/links/open-link.ts';
import type { PhoneLink } from '@keen-larder/server/links/phone-link.ts';
import { SilenceLimit } from '@keen-larder/server/links/silence.ts';
import { complain, say } from './output.ts';

const stallMs = 20_000;

export interface SurveyOptions {
  readonly home: string;
  readonly adbPort: number;
  readonly json?: boolean;
}

/**
 * Tries what a phone's tools can do, without writing anything.
 * @param phone an address, or the serial of a phone that the local adb server has
 * @returns 0; 1 when something that is there came out wrong; 2 when the phone cannot be asked
 */
export async function surveyPhone(phone: string, options: SurveyOptions): Promise<number> {
  let link: PhoneLink | undefined;
  try {
    link = await open(phone, options);
    const facts = await link.facts();
    const survey: Survey = { at: Date.now(), build: buildOf(facts), ...(await link.survey()) };
    if (options.json) say(JSON.stringify({ ...survey, ways: waysFor(survey) }, null, 2));
    else process.stdout.write(surveyReport(survey, `${facts.maker} ${facts.model}`, hiddenOf(facts)));
    return survey.findings.some(({ result }) => result === 'wrong') ? 1 : 0;
  } catch (error) {
    if (!(error instanceof PhoneFailure)) throw error;
    complain(error.message);
    return 2;
  } finally {
    link?.close();
  }
}

const hiddenOf = ({ serial }: PhoneFacts) => [serial];

async function open(phone: string, { home, adbPort }: SurveyOptions): Promise<PhoneLink> {
  const silence = new SilenceLimit(stallMs);
  if (isLinkAddress(phone)) {
    openHome(home);
    const asked = () =>
      complain('The phone asks on its screen whether to allow this computer: allow it there.');
    const credentials = { key: await adbKeyOf(home), signal: new AbortController().signal, asked };
    return openLink(phone, credentials, silence);
  }
  const server = new AdbServer(adbPort);
  const served = await server.list(new AbortController().signal);
  const orAddress = 'or name the phone by its address, HOST:PORT';
  if (typeof served === 'string')
    throw new NobodyThere(
      `No adb server answers at port ${adbPort}: start it by “adb start-server”, ${orAddress}.`,
    );
  const found = served.find(({ name }) => name === phone);
  if (!found)
    throw new NobodyThere(`The adb server has no phone called ${phone}: look at its cable, ${orAddress}.`);
  return AdbLink.over(await server.connect(found), found.state, `adb server ${found.name}`, silence);
}
