import { describe, expect, it } from 'vitest';
import { surveyReport, waysFor, type PhoneTools, type Survey } from './survey.ts';

const tools: PhoneTools = {
  isFramed: true,
  root: 'su -c',
  partitions: 31,
  reads: true,
  proof: 'sha256',
  digestsRanges: true,
  tar: true,
  labels: 'asked',
  tellsOwners: true,
  makesExt4: true,
  makesF2fs: false,
  apps: 140,
  sharedStorage: true,
  providers: [],
};
const ways = (mode: Survey['mode'], change: Partial<PhoneTools> = {}) =>
  Object.fromEntries(
    waysFor({ mode, tools: { ...tools, ...change } }).map(({ job, isPossible, how }) => [
      job,
      `${isPossible ? 'yes' : 'no'}: ${how}`,
    ]),
  );

describe('what a survey makes of a phone', () => {
  it('says the way of each job on a rooted system', () => {
    expect(ways('system')).toEqual({
      'Image partitions': 'yes: dd through su -c, proved by the phone’s own SHA-256',
      'Image blocks in use alone': 'yes: ranges by dd, proved by the phone’s own SHA-256',
      'Put partitions back': 'no: Not while the system runs: restart into recovery.',
      'Keep user data as files': 'yes: tar, labels asked for one by one',
      'Format user data': 'no: Not in this mode: restart into a recovery with root.',
      'Copy apps': 'yes: programs and data',
      'Keep records': 'yes: their databases, as files',
      'Keep photos and downloads': 'yes: tar as root',
    });
  });

  it('says what is left without root, and what would open the rest', () => {
    const found = ways('system', { root: undefined, partitions: 0, reads: false, providers: ['contacts'] });
    expect(found['Image partitions']).toMatch(/^no: The system gives no root: a recovery with root/);
    expect(found['Copy apps']).toBe('yes: programs, and of data what the phone’s own backup gives');
    expect(found['Keep records']).toBe('yes: contacts: what content providers tell');
    expect(found['Keep photos and downloads']).toBe('yes: tar, without root');
  });

  it('says what a recovery lacks', () => {
    const found = ways('recovery', { proof: 'second reading', tar: false, makesExt4: false, root: '' });
    expect(found['Put partitions back']).toBe(
      'yes: dd as root, proved by reading it a second time; not tried, since it writes',
    );
    expect(found['Keep user data as files']).toBe('no: It has no tar.');
    expect(found['Format user data']).toBe('no: It has neither mke2fs nor make_f2fs.');
    expect(ways('recovery', { digestsRanges: false, root: '' })['Image blocks in use alone']).toMatch(
      /^no: /,
    );
  });

  it('blanks serials and names in what is sent along', () => {
    const survey: Survey = {
      at: Date.UTC(2026, 2, 4),
      mode: 'recovery',
      build: 'TideOS 9',
      findings: [{ what: 'Partitions by name', result: 'missing', found: 'TW3K-10482 says no' }],
      tools,
    };
    const text = surveyReport(survey, 'Tidewell Knot 3', ['TW3K-10482', '']);
    expect(text).toContain('Survey of Tidewell Knot 3 in recovery mode, 2026-03-04\nBuild: TideOS 9\n');
    expect(text).toContain('- Partitions by name: missing (••• says no)\n');
    expect(text).not.toContain('TW3K');
    expect(text).toMatch(/\n- Image partitions: dd through su -c/);
  });
});
