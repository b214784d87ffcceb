// @vitest-environment happy-dom
// The files of an image, of which a folder may hold more than a page takes.
import { flushPromises } from '@vue/test-utils';
import { expect, it } from 'vitest';
import { folderPage, type FileView, type FolderView } from '@keen-larder/contract/inside.ts';
import { answering, onEmptyStage, show } from '../testing/stage.ts';
import FileBrowser from './larder/FileBrowser.vue';

onEmptyStage();

const file = (name: string): FileView => ({
  ...{ name, kind: 'file', bytes: 8, mode: 0o644, uid: 0, gid: 0, modifiedAt: 1 },
  ...{ linkTarget: undefined, label: undefined, fault: undefined },
});
const numbered = (from: number, count: number) =>
  Array.from({ length: count }, (_, i) => file(`visit-${from + i}`));
const at = (more: string) => `GET /sets/a/images/system/files?path=%2F${more}`;
const place = { setId: 'a', partition: 'system', part: '' };

it('goes through a large folder by pages, and finds names in it by their letters', async () => {
  const page = (from: number): FolderView => ({
    files: numbered(from, Math.min(folderPage, 1301 - from)),
    count: 1301,
    from,
  });
  answering({
    [at('')]: page(0),
    [at('&from=1000')]: page(1000),
    [at('&named=234')]: { files: [file('visit-1234')], count: 1, from: 0 },
    [at('&from=1000&named=234')]: { files: [], count: 1, from: 1000 },
  });
  const shown = await show(FileBrowser, place);
  expect(shown.find('.pages').text()).toContain('1–500 of 1,301 entries, by name');
  await shown.findAll('.el-pager li').at(-1)!.trigger('click');
  await flushPromises();
  expect(shown.find('.pages').text()).toContain('1,001–1,301 of 1,301 entries');
  expect(shown.findAll('tbody tr')).toHaveLength(301);
  await shown.find('.pages input').setValue('234');
  await flushPromises();
  expect(shown.find('.pages').text()).toContain('1 entry');
  expect(shown.findAll('tbody .name').map((each) => each.text())).toEqual(['visit-1234']);
});

it('shows a small folder as it is', async () => {
  answering({ [at('')]: { files: numbered(0, 2), count: 2, from: 0 } });
  const shown = await show(FileBrowser, place);
  expect(shown.find('.pages').exists()).toBe(false);
  expect(shown.findAll('tbody tr')).toHaveLength(2);
});
