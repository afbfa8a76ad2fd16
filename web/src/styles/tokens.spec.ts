import { readFileSync } from 'node:fs';
import { join } from 'node:path';

const source = readFileSync(join(__dirname, '_tokens.scss'), 'utf8');
const themes = {
  light: source.slice(source.indexOf(':root {'), source.indexOf("[data-theme='dark'] {")),
  dark: source.slice(source.indexOf("[data-theme='dark'] {")),
};

function colour(theme: string, name: string): [number, number, number] {
  const found = new RegExp(`--${name}:\\s*#([0-9A-Fa-f]{6})`).exec(theme);
  if (!found?.[1]) throw new Error(`no colour --${name}`);
  const value = parseInt(found[1], 16);
  return [value >> 16, (value >> 8) & 255, value & 255];
}
/** Relative luminance and contrast ratio: W3C, WCAG 2.2, definitions. */
function luminance(rgb: [number, number, number]): number {
  const [r, g, b] = rgb.map((c) => (c / 255 <= 0.04045 ? c / 255 / 12.92 : ((c / 255 + 0.055) / 1.055) ** 2.4)) as [number, number, number];
  return 0.2126 * r + 0.7152 * g + 0.0722 * b;
}
function contrast(theme: string, front: string, back: string): number {
  const [a, b] = [luminance(colour(theme, front)), luminance(colour(theme, back))].sort((x, y) => y - x) as [number, number];
  return (a + 0.05) / (b + 0.05);
}

// WCAG 2.2: 1.4.3 text 4.5:1, 1.4.11 outlines 3:1.
describe.each(Object.entries(themes))('contrast in the %s theme', (_, theme) => {
  it.each([
    ['ink', 'panel'],
    ['ink', 'ground'],
    ['ink-2', 'panel'],
    ['ink-2', 'ground'],
    ['ink-2', 'wash'],
    ['spruce', 'panel'],
    ['on-spruce', 'spruce'],
    ['slate', 'panel'],
    ['ochre', 'panel'],
    ['ochre', 'ochre-t'],
    ['rust', 'rust-t'],
    ['carmine', 'carmine-t'],
    ['carmine', 'panel'],
  ])('text %s on %s', (front, back) => expect(contrast(theme, front, back)).toBeGreaterThanOrEqual(4.5));
  it.each([
    ['rule', 'panel'],
    ['rule', 'ground'],
    ['focus', 'panel'],
    ['s1', 'panel'],
    ['s2', 'panel'],
    ['s3', 'panel'],
    ['s4', 'panel'],
    ['s5', 'panel'],
    ['s6', 'panel'],
    ['s7', 'panel'],
    ['s8', 'panel'],
  ])('outline %s on %s', (front, back) => expect(contrast(theme, front, back)).toBeGreaterThanOrEqual(3));
});
