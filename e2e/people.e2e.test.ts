// Operators in a browser: named, asked for, told apart, and gone when they sign out.
import { expect, it } from 'vitest';
import { openStory } from './story.ts';

const story = openStory();
const owner = { name: 'Hut owner', passphrase: 'samphire and sea lavender' };
const technician = { name: 'Bench two', passphrase: 'marram grass in the wind' };

async function add({ name, passphrase }: typeof owner, button: string): Promise<void> {
  const { page } = story;
  await page.getByRole('textbox', { name: 'Name' }).fill(name);
  await page.getByRole('textbox', { name: 'Passphrase' }).fill(passphrase);
  await page.getByRole('button', { name: button, exact: true }).click();
}

async function signIn({ name, passphrase }: typeof owner): Promise<void> {
  // The page before has fields of these names as well.
  const form = story.page.getByRole('form', { name: 'Sign in' });
  await form.getByRole('textbox', { name: 'Name' }).fill(name);
  await form.getByRole('textbox', { name: 'Passphrase' }).fill(passphrase);
  await form.getByRole('button', { name: 'Sign in' }).click();
}

it('names an owner and a technician, who sees what is not for technicians refused', async () => {
  const { page } = story;
  await story.go('/people');
  await add(owner, 'Add and sign in');
  await page.locator('.people').getByText('owner, you').waitFor();
  await add(technician, 'Add');
  await page.locator('.people').getByText(technician.name).waitFor();
  await page.getByRole('button', { name: 'Sign out' }).click();

  await signIn({ ...technician, passphrase: 'something else of mine' });
  await page.getByRole('alert').getByText('do not go together').waitFor();
  await signIn(technician);
  await page.getByRole('link', { name: technician.name }).click();
  expect(await page.getByRole('form', { name: 'Add an operator' }).count()).toBe(0);
  await story.go('/larder/seal');
  await page.getByRole('textbox', { name: 'Passphrase', exact: true }).fill(technician.passphrase);
  await page.getByRole('textbox', { name: 'Passphrase once more' }).fill(technician.passphrase);
  await page.getByRole('button', { name: 'Seal the larder' }).click();
  await page.getByText('Only an owner of this bench may do that.').waitFor();
});

it('carries the name to runs and notes, and asks again once the session was ended elsewhere', async () => {
  const { page } = story;
  await story.intoRecovery();
  await page.getByRole('button', { name: 'Boot chain' }).click();
  await page.locator('[data-check="identity-left-out"]').getByText('I understand').click();
  await page.getByRole('button', { name: 'Start imaging' }).click();
  await page.locator('[data-run][data-state="done"]').waitFor();
  await page.getByRole('link', { name: 'Runs', exact: true }).click();
  await page.getByRole('link', { name: /^Keep 2 images/ }).click();
  await page.getByText(`by ${technician.name}`).waitFor();

  const { people } = story.serving.app;
  const id = people.list().find(({ name }) => name === technician.name)!.id;
  await people.change(id, { passphrase: 'sandpipers at low tide' });
  // Nobody touched the page.
  await page.getByRole('button', { name: 'Sign in' }).waitFor();
  await signIn(owner);
  await page.getByText(`by ${technician.name}`).waitFor();
  await page.getByRole('link', { name: owner.name }).click();
  await page
    .getByRole('row', { name: new RegExp(`${technician.name}.*imaged a phone: Ringing hut`) })
    .waitFor();
  await page.getByText('none was changed').waitFor();
});
