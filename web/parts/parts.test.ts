// @vitest-environment happy-dom
import { flushPromises } from '@vue/test-utils';
import { describe, expect, it, vi } from 'vitest';
import { useBench } from '../state/bench.ts';
import { useNotices } from '../state/notices/notices.ts';
import { useRuns } from '../state/runs.ts';
import { onEmptyStage, MiB, phone, run, serial, set, show } from '../testing/stage.ts';
import BatteryMark from '../frame/BatteryMark.vue';
import BayRail from '../frame/BayRail.vue';
import CheckList from '../tray/CheckList.vue';
import CopyText from './CopyText.vue';
import InlineName from './InlineName.vue';
import NoticeStack from '../frame/NoticeStack.vue';
import PaperLabel from './PaperLabel.vue';
import ProgressLine from './ProgressLine.vue';
import RoleStrip from './roles/RoleStrip.vue';
import SizeText from './SizeText.vue';
import TimeText from './TimeText.vue';
import TopBar from '../frame/TopBar.vue';

onEmptyStage();

describe('figures', () => {
  it('have their exact value on hover', async () => {
    const size = await show(SizeText, { bytes: 512 * MiB + 1 });
    expect(size.text()).toBe('512 MiB');
    expect(size.find('.size').attributes('title')).toBe('536,870,913 bytes');
    const at = Date.now() - 3 * 86_400_000;
    const time = await show(TimeText, { at });
    expect(time.text()).toBe('3 days ago');
    expect(time.find('time').attributes('title')).toMatch(/^\w{3}, \d+ \w{3} \d{4}, \d\d:\d\d:\d\d$/);
    expect(time.find('time').attributes('datetime')).toBe(new Date(at).toISOString());
  });

  it('of progress never leave their bounds', async () => {
    for (const [done, whole, percent] of [
      [0, 0, '0'],
      [1, 3, '33'],
      [9, 3, '100'],
    ] as const) {
      const line = await show(ProgressLine, { done, whole, name: 'The whole run' });
      expect(line.find('[role=progressbar]').attributes('aria-valuenow')).toBe(percent);
    }
  });
});

describe('a battery', () => {
  it.each([
    [{ percent: 82, charging: true }, false, 'Battery 82 %, charging'],
    [{ percent: 59, charging: false }, true, 'Battery 59 %, not charging'],
    [{ percent: 60, charging: false }, false, 'Battery 60 %, not charging'],
    [{ percent: 10, charging: true }, false, 'Battery 10 %, charging'],
    [undefined, false, 'Battery unknown'],
  ])('of %j', async (battery, low, words) => {
    const mark = await show(BatteryMark, { battery });
    expect(mark.find('.battery').classes('low')).toBe(low);
    expect(mark.find('.battery').attributes('aria-label')).toBe(words);
  });
});

describe('a name in place', () => {
  const field = 'input[aria-label="nickname"]';
  const open = async () => {
    const shown = await show(InlineName, { value: 'Ringing hut', name: 'nickname', maxlength: 60 });
    await shown.find('button').trigger('click');
    await flushPromises();
    return shown;
  };

  it('is kept by Enter and by leaving the field, once', async () => {
    const shown = await open();
    await shown.find(field).setValue('  North hide ');
    await shown.find(field).trigger('keydown', { key: 'Enter' });
    expect(shown.emitted('rename')).toEqual([['North hide']]);
    await shown.find('button').trigger('click');
    await shown.find(field).setValue('East wall');
    await shown.find(field).trigger('blur');
    expect(shown.emitted('rename')?.at(-1)).toEqual(['East wall']);
  });

  it('stays as it was on Escape, when empty, and when the same', async () => {
    for (const [text, key] of [
      ['other', 'Escape'],
      ['   ', 'Enter'],
      ['Ringing hut', 'Enter'],
    ] as const) {
      const shown = await open();
      await shown.find(field).setValue(text);
      await shown.find(field).trigger('keydown', { key });
      expect(shown.find('h1').text()).toBe('Ringing hut');
      expect(shown.emitted('rename')).toBeUndefined();
    }
  });
});

describe('checks', () => {
  const checks = [
    { id: 'battery', severity: 'stop', title: 'Battery 10 %', sentence: 'Charge it first.' },
    {
      id: 'live-file-system',
      severity: 'confirm',
      title: 'efs in use',
      sentence: 'It may change.',
      mend: { do: 'restart', into: 'recovery' },
    },
    {
      id: 'scratch-picked',
      severity: 'note',
      title: 'cache is picked',
      sentence: 'Not worth keeping.',
      mend: { do: 'unpick', partitions: ['cache', 'misc'] },
    },
    { id: 'identity-left-out', severity: 'good', title: 'Identity is in', sentence: 'efs' },
  ];

  it('say their severity in words, not by colour alone', async () => {
    const shown = await show(CheckList, { checks, confirmed: [] });
    expect(shown.findAll('svg[role=img]').map((icon) => icon.attributes('aria-label'))).toEqual([
      'Stop',
      'To confirm',
      'Note',
      'Good',
    ]);
  });

  it('offer a tick only to what may be confirmed, and a button to what can be mended', async () => {
    const shown = await show(CheckList, { checks, confirmed: ['live-file-system'] });
    expect(shown.findAll('input[type=checkbox]')).toHaveLength(1);
    expect(shown.find<HTMLInputElement>('input[type=checkbox]').element.checked).toBe(true);
    const [restart, leaveOut] = shown.findAll('button');
    expect([restart!.text(), leaveOut!.text()]).toEqual(['Restart into recovery', 'Leave out 2']);
    await restart!.trigger('click');
    expect(shown.emitted('mend')).toEqual([[{ do: 'restart', into: 'recovery' }]]);
    await shown.find('input[type=checkbox]').setValue(false);
    expect(shown.emitted('confirm')).toEqual([['live-file-system', false]]);
  });
});

describe('notices', () => {
  it('are read out, carry their action, and are put aside', async () => {
    const notices = useNotices();
    const took = vi.fn();
    notices.say({ kind: 'stop', title: 'Did not succeed', message: 'Check the cable.' });
    notices.say({
      kind: 'caution',
      title: 'In the bin',
      message: 'x',
      action: { text: 'Take it back', run: took },
    });
    const shown = await show(NoticeStack);
    expect(shown.findAll('li').map((each) => each.attributes('role'))).toEqual(['alert', 'status']);
    await shown.find('.action').trigger('click');
    expect(took).toHaveBeenCalledOnce();
    expect(shown.findAll('li')).toHaveLength(1);
    await shown.find('.aside').trigger('click');
    expect(shown.find('ul').exists()).toBe(false);
  });
});

describe('a paper label', () => {
  it('tells the set’s name, sizes, and whether it was verified', async () => {
    const shown = await show(PaperLabel, { set: set() });
    expect(shown.find('h2 a').attributes('href')).toBe('/larder/sets/s1');
    expect(shown.text()).toMatch(/544 MiB/);
    expect(shown.text()).toMatch(/98 MiB\s*new/);
    expect(shown.find('footer').text()).toMatch(/not verified yet\s*f7cf…f7cf/);
    const verified = await show(PaperLabel, { set: set({ verifiedAt: Date.now() - 86_400_000 }) });
    expect(verified.find('footer').text()).toMatch(/verified yesterday/);
    const damaged = await show(PaperLabel, { set: set({ verifiedAt: 1, damaged: true }) });
    expect(damaged.find('footer').text()).toMatch(/^damaged/);
  });

  it('has the partition strip as its border, a piece per role', async () => {
    const shown = await show(RoleStrip, { strip: set().strip });
    expect(shown.find('[role=img]').attributes('aria-label')).toBe('Boot chain, System');
    expect(shown.findAll('.strip span')).toHaveLength(2);
  });
});

describe('the bay rail', () => {
  it('has a card for each phone that is here, and folds those away', async () => {
    const bench = useBench();
    bench.loaded = true;
    bench.take(phone({ newestSetAt: Date.now() - 12 * 86_400_000 }));
    bench.take(phone({ serial: 'AA-1', nickname: 'Boat shed', presence: 'looping', facts: undefined }));
    bench.take(phone({ serial: 'AA-2', nickname: 'East wall', presence: 'away' }));
    const shown = await show(BayRail);
    expect(shown.find('h2').text()).toBe('On the bench · 2');
    expect(shown.find(`[data-serial="${serial}"]`).text()).toMatch(
      /Ringing hut.*82 %.*recovery.*kept 2 weeks ago/s,
    );
    expect(shown.find('[data-serial="AA-1"]').text()).toMatch(/does not start.*never kept/s);
    expect(shown.find('details').text()).toMatch(/Away · 1/);
    expect(shown.find('details').attributes('open')).toBeUndefined();
  });

  it('shows how far a run is', async () => {
    useBench().take(phone());
    useRuns().take(run());
    const shown = await show(BayRail);
    expect(shown.find('.run').text()).toMatch(/2 of 2 · boot\s*≈ 6 s left/);
  });

  it('says when no phone answers', async () => {
    useBench().loaded = true;
    expect((await show(BayRail)).text()).toMatch(/No phone answers/);
  });

  it('shows a phone on its way into another mode', async () => {
    useBench().take(phone({ presence: 'restarting', expectedMode: 'recovery' }));
    expect((await show(BayRail)).text()).toMatch(/restarting into recovery/);
  });
});

describe('the top bar', () => {
  it('marks where one is, counts live runs, and offers the practice bench only where there is one', async () => {
    useRuns().take(run());
    const shown = await show(TopBar, { hasPractice: true, isOpen: true });
    expect(shown.find('nav').text()).toMatch(/Bench\s*Larder\s*Jobs\s*Runs\s*1/);
    expect(shown.text()).toMatch('Practice bench');
    expect((await show(TopBar, { hasPractice: false, isOpen: false })).text()).not.toMatch('Practice bench');
    await shown.find('button[aria-label="Keys and help"]').trigger('click');
    expect(shown.emitted('keys')).toHaveLength(1);
    await shown.find('button[aria-label^="Go to"]').trigger('click');
    expect(shown.emitted('palette')).toHaveLength(1);
  });

  it('leads to the phone that one was on, and from there to all of the bench', async () => {
    useBench().last = serial;
    const bench = async (address: string) =>
      (await show(TopBar, { hasPractice: false, isOpen: false }, address)).find('nav a').attributes('href');
    expect(await bench('/larder')).toBe(`/bench/${serial}`);
  });
});

describe('a value to copy', () => {
  it('is shown short and copied whole', async () => {
    const value = 'ab'.repeat(32);
    const shown = await show(CopyText, { value, name: 'SHA-256 of boot', short: true });
    expect(shown.find('code').text()).toBe('abab…abab');
    expect(shown.find('code').attributes('title')).toBe(value);
    expect(shown.find('button').attributes('aria-label')).toBe('Copy SHA-256 of boot');
  });
});
