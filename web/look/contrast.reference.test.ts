// Contrast of the palette by the formula of WCAG 2.2 (relative luminance; success criteria 1.4.3 and 1.4.11).
import { describe, expect, it } from 'vitest';
import { roles } from '@keen-larder/core/phone/roles.ts';
import css from './theme.css?raw';

/** The colours of a rule's block by name. */
function palette(selector: string): Record<string, string> {
  const start = css.indexOf(`${selector} {`);
  const block = css.slice(start, css.indexOf('}', start));
  return Object.fromEntries(
    [...block.matchAll(/--([\w-]+): (#[0-9a-f]{6});/g)].map(([, name, hex]) => [name, hex]),
  );
}

const light = palette(':root');
const themes = { light, dark: { ...light, ...palette(':root.dark') } };

function luminance(hex: string): number {
  const [r, g, b] = [1, 3, 5]
    .map((at) => parseInt(hex.slice(at, at + 2), 16) / 255)
    .map((value) => (value <= 0.04045 ? value / 12.92 : ((value + 0.055) / 1.055) ** 2.4));
  return 0.2126 * r! + 0.7152 * g! + 0.0722 * b!;
}

function contrast(a: string, b: string): number {
  const [darker, lighter] = [luminance(a), luminance(b)].sort((x, y) => x - y);
  return (lighter! + 0.05) / (darker! + 0.05);
}

it('has the formula right: the examples of the recommendation', () => {
  expect(contrast('#000000', '#ffffff')).toBeCloseTo(21, 5);
  // The lightest grey on white that passes 4.5 to 1, and the next one that does not.
  expect(contrast('#767676', '#ffffff')).toBeGreaterThan(4.5);
  expect(contrast('#777777', '#ffffff')).toBeLessThan(4.5);
});

describe.each(Object.entries(themes))('the %s theme', (_name, colours) => {
  const grounds = ['paper', 'panel', 'card'];
  const of = (name: string) => colours[name]!;

  it.each([
    ...['ink', 'ink-soft', 'action', 'quince', 'beetroot', 'slate'].flatMap((text) =>
      grounds.map((ground) => [text, ground] as const),
    ),
    ['ink', 'action-tint'],
    ['ink-soft', 'action-tint'],
    ['action', 'action-tint'],
    ['ink', 'quince-tint'],
    ['quince', 'quince-tint'],
    ['ink', 'beetroot-tint'],
    ['beetroot', 'beetroot-tint'],
    ['on-action', 'action'],
    ['on-action', 'action-hover'],
    ['on-bar', 'bar'],
  ] as const)('%s can be read on %s (4.5 to 1)', (text, ground) => {
    expect(contrast(of(text), of(ground))).toBeGreaterThanOrEqual(4.5);
  });

  it.each(roles)('the code of %s can be read on its colour, and its colour told from the ground', (role) => {
    expect(contrast(of('card'), of(`role-${role}`))).toBeGreaterThanOrEqual(4.5);
    for (const ground of grounds) expect(contrast(of(`role-${role}`), of(ground))).toBeGreaterThanOrEqual(3);
  });
});
