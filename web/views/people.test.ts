// @vitest-environment happy-dom
// Who works at the bench: signing in, naming operators, the record.
import { flushPromises } from '@vue/test-utils';
import { expect, it, vi } from 'vitest';
import type { OperatorView, RecordView, SessionView } from '@keen-larder/contract/people.ts';
import { api, ApiError } from '../api/client.ts';
import { useSession } from '../state/session.ts';
import { answering, button, last, onEmptyStage, show } from '../testing/stage.ts';
import PeoplePage from './people/PeoplePage.vue';
import SignIn from './people/SignIn.vue';

onEmptyStage();

const owner: OperatorView = { id: 1, name: 'Hut owner', role: 'owner', createdAt: 1, lastSeenAt: 2 };
const technician: OperatorView = {
  ...owner,
  id: 2,
  name: 'Bench two',
  role: 'technician',
  lastSeenAt: undefined,
};
const signedInAs = (me: OperatorView): SessionView => ({ asksWho: true, me });
const record = (over: Partial<RecordView> = {}): RecordView => ({
  lines: [
    {
      n: 2,
      at: 5,
      who: 'Hut owner',
      words: 'renamed a phone',
      on: { text: 'Ringing hut', path: '/bench/x' },
    },
    { n: 1, at: 4, who: '', words: 'changed the head of papers', on: undefined },
  ],
  ...{ count: 2, head: 'ab'.repeat(32), brokenAt: undefined },
  ...over,
});

it('signs in, and says what is wrong without keeping the passphrase', async () => {
  const server = { knows: false };
  const asked = answering({
    'POST /session': () =>
      server.knows ? signedInAs(owner) : new Error('This name and this passphrase do not go together.'),
  });
  const shown = await show(SignIn);
  const [name, passphrase] = shown.findAll('input');
  expect(button(shown, 'Sign in').attributes('disabled')).toBeDefined();
  await name!.setValue(' Hut owner ');
  await passphrase!.setValue('samphire');
  await shown.find('form').trigger('submit');
  await flushPromises();
  expect(shown.find('[role=alert]').text()).toBe('This name and this passphrase do not go together.');
  expect(passphrase!.element.value).toBe('');
  server.knows = true;
  await passphrase!.setValue('samphire and sea lavender');
  await shown.find('form').trigger('submit');
  await flushPromises();
  expect(last(asked, 'POST', '/session')?.body).toEqual({
    name: 'Hut owner',
    passphrase: 'samphire and sea lavender',
  });
  expect(useSession().me?.name).toBe('Hut owner');
});

it('shows no form to sign in on a page that is about to be loaded anew', async () => {
  const reload = vi.spyOn(window.location, 'reload').mockImplementation(() => {});
  let fails = true;
  answering({
    // Another part of the page asks while the session ends.
    'DELETE /session': () => (fails ? new Error('The bench computer does not answer.') : null),
    'GET /operators': new ApiError({ status: 401, detail: 'Sign in first.' }),
  });
  const session = useSession();
  session.view = signedInAs(owner);
  await expect(session.signOut()).rejects.toThrow('does not answer');
  expect(reload).not.toHaveBeenCalled();
  fails = false;
  await session.signOut();
  expect(reload).toHaveBeenCalledOnce();
  await expect(api.operators()).rejects.toThrow('Sign in first.');
  expect(session.mustSignIn).toBe(false);
});

it('begins with an owner, who is signed in at once', async () => {
  const people: OperatorView[] = [];
  const asked = answering({
    'GET /operators': () => people,
    'GET /record': record({ lines: [], count: 0 }),
    'POST /operators': () => (people.push(owner), owner),
    'POST /session': signedInAs(owner),
  });
  useSession().view = { asksWho: false, me: undefined };
  const shown = await show(PeoplePage);
  expect(shown.text()).toContain('Nobody signs in at this bench');
  expect(shown.find('[role=radiogroup]').exists()).toBe(false);
  await shown.find('input[aria-label="Name"]').setValue('Hut owner');
  await shown.find('input[aria-label="Passphrase"]').setValue('too short');
  expect(button(shown, 'Add and sign in').attributes('disabled')).toBeDefined();
  await shown.find('input[aria-label="Passphrase"]').setValue('samphire and sea lavender');
  await shown.find('form').trigger('submit');
  await flushPromises();
  expect(last(asked, 'POST', '/operators')?.body).toMatchObject({ name: 'Hut owner', role: 'owner' });
  expect(useSession().me?.name).toBe('Hut owner');
  expect(shown.find('.people').text()).toContain('owner, you');
});

it('gives others a new passphrase, changes roles, and removes', async () => {
  const asked = answering({
    'GET /operators': [owner, technician],
    'GET /record': record(),
    'PATCH /operators/2': technician,
    'DELETE /operators/2': new Error('It cannot be done now.'),
  });
  useSession().view = signedInAs(owner);
  const shown = await show(PeoplePage);
  const row = () => shown.findAll('.people li')[1]!;
  await row().findAll('button')[1]!.trigger('click');
  await flushPromises();
  expect(last(asked, 'PATCH', '/operators/2')?.body).toEqual({ role: 'owner' });
  await row().findAll('button')[0]!.trigger('click');
  expect(shown.find('input[aria-label="Passphrase until now"]').exists()).toBe(false);
  await shown.find('input[aria-label="New passphrase"]').setValue('marram grass in the wind');
  await shown.find('form').trigger('submit');
  await flushPromises();
  expect(last(asked, 'PATCH', '/operators/2')?.body).toEqual({ passphrase: 'marram grass in the wind' });
  await row().findAll('button')[2]!.trigger('click');
  await flushPromises();
  expect(shown.find('[role=alert]').text()).toBe('It cannot be done now.');
});

it('shows a technician whom to ask, and the own passphrase alone', async () => {
  const asked = answering({
    'GET /operators': [owner, technician],
    'GET /record': record(),
    'PUT /session/passphrase': null,
  });
  useSession().view = signedInAs(technician);
  const shown = await show(PeoplePage);
  expect(shown.findAll('.people button').map((each) => each.text())).toEqual(['New passphrase']);
  expect(shown.find('form').exists()).toBe(false);
  await shown.find('.people button').trigger('click');
  await shown.find('input[aria-label="Passphrase until now"]').setValue('as it was until now');
  await shown.find('input[aria-label="New passphrase"]').setValue('sandpipers at low tide');
  await shown.find('form').trigger('submit');
  await flushPromises();
  expect(last(asked, 'PUT', '/session/passphrase')?.body).toEqual({
    before: 'as it was until now',
    passphrase: 'sandpipers at low tide',
  });
});

it('shows the record, and where it was changed', async () => {
  const server: { brokenAt: number | undefined } = { brokenAt: undefined };
  answering({ 'GET /operators': [owner], 'GET /record': () => record(server) });
  useSession().view = signedInAs(owner);
  const shown = await show(PeoplePage);
  const rows = shown.findAll('.record tbody tr').map((each) =>
    each
      .findAll('td')
      .slice(1)
      .map((cell) => cell.text()),
  );
  expect(rows).toEqual([
    ['Hut owner', 'renamed a phone: Ringing hut'],
    ['this computer', 'changed the head of papers'],
  ]);
  expect(shown.find('.record').text()).toContain('none was changed');
  server.brokenAt = 2;
  const again = await show(PeoplePage);
  expect(again.find('.record [role=alert]').text()).toContain('line 2, or the one before it');
});
