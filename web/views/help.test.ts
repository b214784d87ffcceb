// @vitest-environment happy-dom
// The guide within the application: found by words.
import { expect, it } from 'vitest';
import { onEmptyStage, show } from '../testing/stage.ts';
import { blocksOf, found } from './help/guide.ts';
import HelpPage from './help/HelpPage.vue';

onEmptyStage();

it('takes a text apart by its blocks, each under its heading', () => {
  expect(blocksOf('![Seen](a.png)')).toEqual([]);
  const [linked] = blocksOf('To [that](b.md) and [this](https://age.example/v1).');
  expect(linked!.html).toBe(
    '<p>To that and <a href="https://age.example/v1" rel="noreferrer">this</a>.</p>\n',
  );
  const blocks = blocksOf(
    '# One\n\n**Seal.** A & B <i>\n\n- x\n- y\n\n# Two\n\n| a | b |\n| - | - |\n| c | d |\n',
  );
  expect(blocks.map(({ heading }) => heading)).toEqual(['One', 'One', 'Two']);
  expect(found(blocks, 'seal b')).toHaveLength(1);
  expect(found(blocks, 'two D')).toHaveLength(1);
  expect(found(blocks, 'nothing')).toEqual([]);
});

it('has keys, marks, words and the guide, and shows what has all words that are typed', async () => {
  const shown = await show(HelpPage);
  const headings = () => shown.findAll('h2').map((each) => each.text());
  expect(headings()).toEqual(expect.arrayContaining(['Keys', 'Marks', 'Words', 'About', 'Firmware']));
  await shown.find('input').setValue('RECOVERY key');
  expect(shown.findAll('.block').length).toBeGreaterThan(0);
  for (const block of shown.findAll('.block'))
    expect(block.text().toLowerCase()).toMatch(/recovery[^]*key|key[^]*recovery/);
  expect(headings()).not.toContain('About');
  await shown.find('input').setValue('no word of this kind');
  expect(shown.find('[role=status]').text()).toContain('Nothing here has');
  await shown.find('input').setValue('tray');
  expect(shown.text()).toContain('what is picked now');
});
