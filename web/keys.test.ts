// @vitest-environment happy-dom
import { afterEach, beforeEach, expect, it, vi } from 'vitest';
import { effectScope, type EffectScope } from 'vue';
import { useGlobalKeys } from './keys.ts';

const showSheet = vi.fn();
const go = vi.fn();
const showPalette = vi.fn();
let scope: EffectScope;
beforeEach(() => {
  vi.clearAllMocks();
  document.body.innerHTML =
    '<input type="checkbox"><input type="radio"><input type="text"><textarea></textarea>';
  scope = effectScope();
  scope.run(() => useGlobalKeys({ showSheet, showPalette, go }));
});
afterEach(() => scope.stop());

const press = (selector: string, key: string) =>
  document.querySelector(selector)!.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true }));

it.each(['body', '[type="checkbox"]', '[type="radio"]'])('keys work with the focus on %s', (selector) => {
  press(selector, '?');
  expect(showSheet).toHaveBeenCalledOnce();
  press(selector, 'g');
  press(selector, 'l');
  expect(go).toHaveBeenCalledWith('/larder');
});

it.each(['[type="text"]', 'textarea'])('keys are letters in %s', (selector) => {
  press(selector, '?');
  expect(showSheet).not.toHaveBeenCalled();
});

it.each(['body', '[type="text"]', 'textarea'])('Ctrl K opens the palette, also from %s', (selector) => {
  const event = new KeyboardEvent('keydown', { key: 'k', ctrlKey: true, bubbles: true, cancelable: true });
  document.querySelector(selector)!.dispatchEvent(event);
  expect(showPalette).toHaveBeenCalledOnce();
  expect(event.defaultPrevented).toBe(true);
});
