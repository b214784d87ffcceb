// @vitest-environment happy-dom
import { flushPromises } from '@vue/test-utils';
import { describe, expect, it } from 'vitest';
import { answering, button, last, onEmptyStage, phone, serial, show } from '../testing/stage.ts';
import PhoneDetails from './bench/PhoneDetails.vue';
import AsItIs from './bench/storage/AsItIs.vue';

onEmptyStage();

describe('Details', () => {
  it('tell what the phone’s tools can do, and survey it again', async () => {
    const survey = {
      ...{ at: 5, mode: 'system' as const, build: 'TideOS 9' },
      findings: [
        { what: 'Root', result: 'works' as const, found: 'su -c' },
        { what: 'Digest of ranges', result: 'wrong' as const, found: '' },
      ],
      tools: {
        ...{ isFramed: true, root: 'su -c', partitions: 18, reads: true, proof: 'md5' as const },
        ...{ digestsRanges: false, tar: true, labels: 'asked' as const, tellsOwners: true },
        ...{ makesExt4: true, makesF2fs: false, apps: 7, sharedStorage: true, providers: [] },
      },
    };
    const asked = answering({
      [`GET /phones/${serial}/survey`]: null,
      [`POST /phones/${serial}/survey`]: survey,
    });
    const shown = await show(PhoneDetails, { phone: phone({ presence: 'here' }) });
    await flushPromises();
    expect(shown.text()).toMatch(/Not surveyed in this mode yet/);
    await button(shown, 'Survey it').trigger('click');
    await flushPromises();
    expect(last(asked, 'POST', `/phones/${serial}/survey`)).toBeDefined();
    expect(shown.text()).toMatch(
      /Image partitions.*proved by the phone’s own MD5.*What was tried.*Rootworkssu -c/s,
    );
    expect(shown.find('tr.odd').text()).toMatch(/Digest of ranges.*wrong/);
    expect(button(shown, 'Survey it again').exists()).toBe(true);
  });
});

describe('A phone without root', () => {
  it('says what it gives as it is, and what would open the rest', async () => {
    const record = { files: [], bytes: 9, fault: undefined, copies: [] };
    answering({
      [`GET /phones/${serial}/apps`]: [{ package: 'a', installed: { programBytes: 3 << 20 } }],
      [`GET /phones/${serial}/records`]: [
        { ...record, kind: 'contacts', count: 12, missing: 'pictures' },
        { ...record, kind: 'messages', count: undefined, missing: undefined, fault: 'No.' },
      ],
    });
    const locked = phone({
      facts: {
        ...phone({}).facts!,
        ...{ mode: 'system', root: false },
        condition: { kind: 'stock', bootloaderUnlocked: false, encrypted: true },
      },
    });
    const shown = await show(AsItIs, { phone: locked, sharedBytes: 5 << 20 });
    await flushPromises();
    const text = shown.text();
    expect(text).toMatch(/Photos and downloads\s*5 MiB/);
    expect(text).toMatch(/1 app, 3 MiB of programs, without their data/);
    expect(text).toMatch(/Contacts \(12\), to be read/);
    expect(text).not.toMatch(/Messages/);
    expect(text).toMatch(/Unlocking the bootloader wipes user data.*encrypted.*Loader mode/s);
  });
});
