import type { Page } from 'puppeteer-core';

/** Where the focus stood at a press of Tab, as a person with a keyboard has it. */
export interface Stop {
  /** Tag, class and words of it, for whoever reads the failure. */
  readonly what: string;
  /** What is wrong with it: without a name, out of sight, or not to be told from the rest. */
  readonly faults: readonly string[];
}

/** What a person at the keyboard meets on a page, from its beginning until the focus comes round. */
export interface Round {
  readonly stops: readonly Stop[];
  /** Controls in sight that Tab did not come to, though nothing else moves the focus to them. */
  readonly missed: readonly string[];
  /** Did the focus come back to where it began, rather than stay caught? */
  readonly cameRound: boolean;
}

/** More controls than any page has: whoever presses Tab more often is caught. */
const MOST = 400;

/** Presses Tab until the focus has been round the page, and looks at each thing it stops at. */
export async function tabRound(page: Page): Promise<Round> {
  await page.evaluate(HELPERS);
  await page.evaluate(() => (document.activeElement as HTMLElement | null)?.blur());
  const stops: Stop[] = [];
  let cameRound = false;
  for (let presses = 0; presses < MOST && !cameRound; presses++) {
    await page.keyboard.press('Tab');
    const stop = (await page.evaluate('window.stopOfTheFocus()')) as Stop | 'round' | 'caught';
    if (stop === 'caught') break;
    if (stop === 'round') cameRound = stops.length > 0;
    else stops.push(stop);
  }
  const missed = (await page.evaluate('window.missedByTheFocus()')) as string[];
  return { stops, missed, cameRound };
}

/** Presses Tab until the focus stands on the control whose words begin so; throws where the focus comes round without it. */
export async function tabTo(page: Page, words: string): Promise<void> {
  await page.evaluate(HELPERS);
  for (let presses = 0; presses < MOST; presses++) {
    await page.keyboard.press('Tab');
    if (await page.evaluate((wanted: string) => (window as never as Helpers).isAtFocus(wanted), words)) return;
  }
  throw new Error(`Tab never comes to "${words}"`);
}

/** Words of what has the focus. */
export const atFocus = (page: Page): Promise<string> => page.evaluate(() => (window as never as Helpers).wordsAtFocus());

interface Helpers {
  isAtFocus(words: string): boolean;
  wordsAtFocus(): string;
}

/**
 * In the page. A control is reached by Tab, or by arrows from one of its group that is (radios, tabs, menus, a grid with one cell in the order).
 * What has the focus shows it by an outline, a shadow or a border it does not have otherwise.
 */
const HELPERS = `(() => {
  const met = new Set();
  const CONTROLS = 'a[href], button, input, select, textarea, [role=button], [role=switch], [role=slider], [role=combobox]';
  // What comes while somebody goes round (an alert) was not there to be met.
  const there = new Set(document.querySelectorAll(CONTROLS));
  const words = (element) => (element.getAttribute('aria-label') || element.innerText || '').replace(/\\s+/g, ' ').trim();
  const of = (element) => (element.tagName.toLowerCase() + '.' + [...element.classList].slice(0, 2).join('.') + ' ' + words(element)).slice(0, 90);
  const named = (element) => {
    const by = (element.getAttribute('aria-labelledby') || '').split(' ').map((id) => document.getElementById(id)?.textContent || '').join('');
    const label = element.labels ? [...element.labels].map((one) => one.textContent).join('') : '';
    return (words(element) + by + label + (element.getAttribute('title') || '') + (element.getAttribute('placeholder') || '')).trim() !== '';
  };
  const inSight = (element) => {
    const box = element.getBoundingClientRect();
    if (box.width < 1 || box.height < 1) return false;
    return box.bottom > 0 && box.right > 0 && box.top < innerHeight && box.left < innerWidth;
  };
  const marked = (element) => {
    const ring = element.querySelector(':scope > .ring');
    if (ring && getComputedStyle(ring).stroke !== 'none') return true;
    for (let at = element, up = 0; at && up < 4; at = at.parentElement, up++) {
      const style = getComputedStyle(at);
      if (style.outlineStyle !== 'none' && parseFloat(style.outlineWidth) > 0) return true;
      if (style.boxShadow !== 'none') return true;
      if (at.matches('.mdc-text-field--focused, .mat-focused, .cdk-keyboard-focused, .cdk-focused')) return true;
    }
    return false;
  };
  window.wordsAtFocus = () => words(document.activeElement);
  window.isAtFocus = (wanted) => document.activeElement !== document.body && words(document.activeElement).startsWith(wanted);
  window.stopOfTheFocus = () => {
    const element = document.activeElement;
    if (!element || element === document.body || element === document.documentElement) return 'round';
    if (met.has(element)) return element === met.values().next().value ? 'round' : 'caught';
    met.add(element);
    const faults = [];
    if (!named(element)) faults.push('without a name');
    if (!inSight(element)) faults.push('out of sight');
    if (!marked(element)) faults.push('not to be told from the rest');
    return { what: of(element), faults };
  };
  window.missedByTheFocus = () =>
    [...document.querySelectorAll(CONTROLS)]
      .filter((element) => there.has(element) && !met.has(element) && !element.disabled && element.getAttribute('aria-disabled') !== 'true')
      .filter((element) => element.checkVisibility({ visibilityProperty: true, opacityProperty: true }) && element.getBoundingClientRect().width > 1)
      .filter((element) => !element.closest('[aria-hidden=true], [inert]'))
      .filter((element) => !element.closest('[role=radiogroup], [role=tablist], [role=listbox], [role=tree], [role=grid], [role=toolbar]'))
      .filter((element) => element.type !== 'radio' && element.type !== 'file')
      .map(of);
})()`;
