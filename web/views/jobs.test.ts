// @vitest-environment happy-dom
// Job cards: a board by stage, and one card with what was done.
import { flushPromises } from '@vue/test-utils';
import { expect, it } from 'vitest';
import type { JobDetail, JobView } from '@keen-larder/contract/jobs.ts';
import { useBench } from '../state/bench.ts';
import { useJobs } from '../state/jobs.ts';
import { answering, button, eventually, last, onEmptyStage, phone, serial, show } from '../testing/stage.ts';
import JobsPage from './jobs/JobsPage.vue';

onEmptyStage();

const card = (over: Partial<JobView> = {}): JobView => ({
  ...{ id: 'j1', number: 7, who: 'Ringing hut', contact: '', complaint: 'Restarts for ever.', arrival: '' },
  ...{ accessories: '', stage: 'received', openedAt: 1000, handedOverAt: undefined },
  agreed: { keepFirst: true, mayLose: false, mayLook: false },
  phones: [{ serial, nickname: 'Hut phone', maker: 'Tidewell', model: 'Knot 3' }],
  ...over,
});
const detail = (over: Partial<JobDetail> = {}): JobDetail => ({
  ...card(),
  ...{ notes: [], files: [], sets: [], runs: [], copyCount: 0, done: 'kept', beforeHandingOver: [] },
  ...over,
});

it('shows cards by their stage, and finds them by typing', async () => {
  useJobs().list = [card(), card({ id: 'j2', number: 8, who: 'East wall', stage: 'proved', phones: [] })];
  const shown = await show(JobsPage);
  const board = () =>
    shown.findAll('section').map((each) => [each.attributes('aria-label'), each.findAll('.card').length]);
  expect(board()).toEqual([
    ['received', 1],
    ['kept', 0],
    ['worked on', 0],
    ['proved', 1],
    ['handed over', 0],
  ]);
  await shown.find('[aria-label="Filter the job cards"]').setValue('hut 7');
  expect(board().filter(([, count]) => count === 1)).toEqual([['received', 1]]);
});

it('opens one for the phone that one came from', async () => {
  const asked = answering({ 'POST /jobs': detail() });
  useJobs().list = [];
  useBench().take(phone());
  const shown = await show(JobsPage, {}, `/jobs?for=${serial}`);
  expect(button(shown, 'Open the card').attributes('disabled')).toBeDefined();
  await shown.find('input[aria-label="Who"]').setValue(' Ringing hut ');
  await shown.find('textarea[aria-label="What is wrong"]').setValue('Restarts for ever.');
  await shown.find('form').trigger('submit');
  await flushPromises();
  expect(last(asked, 'POST', '/jobs')?.body).toMatchObject({
    ...{ who: 'Ringing hut', complaint: 'Restarts for ever.', serials: [serial] },
    agreed: { keepFirst: true, mayLose: false, mayLook: false },
  });
  expect(shown.vm.$route.path).toBe('/jobs/j1');
});

it('tells what was done, takes notes, and asks before a phone is handed over that is not ready', async () => {
  const asked = answering({
    'GET /jobs/j1': detail({
      runs: [
        {
          id: 'r1',
          kind: 'restoring',
          title: 'Restore boot',
          state: 'done',
          startedAt: 3000,
          hasProof: false,
        },
      ],
      sets: [{ id: 's1', label: 'As received', createdAt: 2000, complete: true }],
      beforeHandingOver: ['It was changed, and not compared with what was kept since.'],
    }),
    'POST /jobs/j1/notes': detail({ notes: [{ id: 1, at: 4000, text: 'Called.', by: undefined }] }),
    'PATCH /jobs/j1': (body: Partial<JobDetail>) => detail(body),
  });
  const shown = await show(JobsPage, { id: 'j1' });
  await eventually(() => expect(shown.findAll('.story li')).toHaveLength(2));
  expect(shown.findAll('.story a').map((each) => each.attributes('href'))).toEqual([
    '/runs/r1',
    '/larder/sets/s1',
  ]);
  // What was not done is not shown as done, whatever stage a hand sets.
  expect(shown.findAll('.stages .reached').map((each) => each.text())).toEqual(['received', 'kept']);
  await button(shown, 'handed over').trigger('click');
  expect(last(asked, 'PATCH', '/jobs/j1')).toBeUndefined();
  expect(shown.find('[role=alert]').text()).toMatch(/not compared with what was kept/);
  await button(shown, /anyway/).trigger('click');
  await flushPromises();
  expect(last(asked, 'PATCH', '/jobs/j1')?.body).toEqual({ stage: 'handed over' });
  const complaint = shown.find('textarea[aria-label="What is wrong"]');
  await complaint.setValue('Restarts at times.');
  await complaint.trigger('blur');
  await flushPromises();
  expect(last(asked, 'PATCH', '/jobs/j1')?.body).toEqual({ complaint: 'Restarts at times.' });
  await shown.find('input[aria-label="Note"]').setValue('Called.');
  await shown.find('.done form').trigger('submit');
  await flushPromises();
  expect(last(asked, 'POST', '/jobs/j1/notes')?.body).toEqual({ text: 'Called.' });
  expect(shown.find('.story').text()).toContain('Called.');
});

it('offers the hand-over report, and lets its head be changed', async () => {
  const asked = answering({
    'GET /jobs/j1': detail(),
    'GET /shop': { name: 'Workshop', address: '' },
    'PUT /shop': (body: object) => body,
  });
  const one = await show(JobsPage, { id: 'j1' });
  await flushPromises();
  expect(one.findAll('a[download]').map((each) => each.attributes('href'))).toEqual([
    '/api/jobs/j1/report.pdf?paper=a4',
    '/api/jobs/j1/report.pdf?paper=letter',
    '/api/jobs/j1/report.html',
  ]);
  useJobs().list = [];
  const shown = await show(JobsPage);
  await flushPromises();
  expect(shown.text()).toContain('headed “Workshop”');
  await shown
    .findAll('a')
    .find((each) => each.text() === 'Change that')!
    .trigger('click');
  await shown.find('input[aria-label="Name of the shop"]').setValue('Tide Street Repairs');
  await shown.find('form[aria-label="Head of papers"]').trigger('submit');
  await flushPromises();
  expect(last(asked, 'PUT', '/shop')?.body).toEqual({ name: 'Tide Street Repairs', address: '' });
  expect(shown.text()).toContain('headed “Tide Street Repairs”');
});

it('says so where there is no such card', async () => {
  answering({ 'GET /jobs/gone': new Error('There is no such job card.') });
  expect((await show(JobsPage, { id: 'gone' })).text()).toMatch(/There is no such job card/);
});

it('takes files and photos, shows pictures, and removes what is asked about', async () => {
  const photo = {
    id: 'f1',
    name: 'crack.jpg',
    at: 1000,
    bytes: 4096,
    sha256: 'ab'.repeat(32),
    by: undefined,
    isPicture: true,
  };
  const signed = { ...photo, id: 'f2', name: 'signed.pdf', isPicture: false };
  const asked = answering({
    'GET /jobs/j1': detail({ files: [photo] }),
    'POST /jobs/j1/files?name=signed.pdf': detail({ files: [photo, signed] }),
    'POST /jobs/j1/files?name=huge.bin': new Error('The body is too large.'),
    'DELETE /jobs/j1/files/f1': detail({ files: [signed] }),
  });
  const shown = await show(JobsPage, { id: 'j1' });
  await flushPromises();
  const area = () => shown.find('[aria-label="Files and photos"]');
  expect(area().find('img').attributes()).toMatchObject({
    src: '/api/jobs/j1/pictures/f1',
    alt: 'crack.jpg',
  });
  const files = ['signed.pdf', 'huge.bin'].map((name) => new File(['x'], name));
  await area().trigger('drop', { dataTransfer: { files } });
  await eventually(() => expect(area().find('[role=alert]').text()).toBe('huge.bin: The body is too large.'));
  expect(area().findAll('li')).toHaveLength(2);
  await area().find('[aria-label="Remove crack.jpg"]').trigger('click');
  expect(last(asked, 'DELETE', '/jobs/j1/files/f1')).toBeUndefined();
  await button(shown, 'Remove it').trigger('click');
  await eventually(() => expect(area().find('img').exists()).toBe(false));
});
