// @vitest-environment happy-dom
// What removed apps left: the list of it, and the tray that keeps and removes it.
import { flushPromises } from '@vue/test-utils';
import { describe, expect, it } from 'vitest';
import type { LeftoverView } from '@keen-larder/contract/copies.ts';
import type { LeftoversRequest } from '@keen-larder/contract/requests/apps.ts';
import { leftoversSheet } from '@keen-larder/core/runsheet/run-sheets.ts';
import { useLeftovers } from '../state/apps/leftovers.ts';
import {
  answering,
  button,
  eventually,
  facts,
  last,
  MiB,
  onEmptyStage,
  phone,
  run,
  serial,
  show,
} from '../testing/stage.ts';
import LeftoversTray from '../tray/apps/LeftoversTray.vue';
import PhoneLeftovers from './bench/apps/PhoneLeftovers.vue';

onEmptyStage();

const running = phone({ facts: { ...facts, mode: 'system' } });
const left = (name: string, over: Partial<LeftoverView> = {}): LeftoverView => ({
  package: name,
  folders: [{ kind: 'data', path: `/data/user/0/${name}`, uid: 10_088, bytes: 2 * MiB }],
  notes: [],
  ...{ bytes: 2 * MiB, uid: 10_088, isCertain: true, why: 'Nobody has its id now.', keptAt: undefined },
  ...over,
});
const found = [left('example.old'), left('example.sand', { isCertain: false, bytes: MiB })];
const sheetOf = ({ packages, keepsFirst }: LeftoversRequest) =>
  leftoversSheet({
    ...{ phone: running.facts!, found, picked: packages, keepsFirst, kept: new Set<string>() },
    ...{ shelf: { freeBytes: 100 * MiB }, bytesPerSecond: 10 * MiB },
  });

describe('leftovers of a phone', () => {
  it('are listed with where they are, their size and how one knows', async () => {
    answering({ [`GET /phones/${serial}/leftovers`]: found });
    const shown = await show(PhoneLeftovers, { phone: running });
    await eventually(() => expect(shown.text()).toMatch(/2 apps · 3 MiB/));
    expect(shown.text()).toMatch(/example\.old\s*Nobody has its id now\./);
    expect(shown.text()).toMatch(/data\s*2 MiB\s*never/);
    await shown
      .find('[aria-label="Pick example.old"] input, input[aria-label="Pick example.old"]')
      .setValue(true);
    expect(useLeftovers().draft(serial).picked).toEqual(['example.old']);
  });

  it('are said to be none, to need root, or the running system', async () => {
    answering({ [`GET /phones/${serial}/leftovers`]: [] });
    const shown = await show(PhoneLeftovers, { phone: running });
    await eventually(() => expect(shown.text()).toMatch(/Nothing is left over/));
    await shown.setProps({ phone: phone({ facts: { ...facts, mode: 'system', root: false } }) });
    expect(shown.text()).toMatch(/gives no root/);
    await shown.setProps({ phone: phone() });
    expect(shown.text()).toMatch(/system/);
  });

  it('are kept, then removed; unkept only with a tick', async () => {
    const asked = answering({
      [`POST /phones/${serial}/removing-leftovers-sheet`]: (body: unknown) =>
        sheetOf(body as LeftoversRequest),
      [`POST /phones/${serial}/removing-leftovers`]: run({ kind: 'removing-leftovers' }),
    });
    const store = useLeftovers();
    store.lists = { [serial]: found };
    store.draft(serial).picked = ['example.old'];
    const shown = await show(LeftoversTray, { phone: running });
    await eventually(() => expect(shown.text()).toMatch(/It can be undone/));
    await shown.find('input[type=checkbox]').setValue(false);
    await eventually(() => expect(shown.text()).toMatch(/Removed for good/));
    await shown.find('input[type=checkbox]').setValue(true);
    await eventually(() => expect(shown.text()).toMatch(/It can be undone/));
    await button(shown, /Keep, then remove/).trigger('click');
    await flushPromises();
    expect(last(asked, 'POST', `/phones/${serial}/removing-leftovers`)?.body).toMatchObject({
      packages: ['example.old'],
      keepsFirst: true,
    });
    expect(store.draft(serial).picked).toEqual([]);
  });
});
