import { existsSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import puppeteer, { type Browser, type BrowserContext, type Page } from 'puppeteer-core';

const FLAGS = [
  '--headless=new',
  '--no-sandbox',
  '--disable-gpu',
  '--disable-quic',
  '--no-first-run',
  '--disable-background-networking',
  '--disable-component-update',
  '--disable-sync',
];

/** How long a wait lasts before it has failed, ms: a machine that is busy is no fault of the house. */
const PATIENCE = 120_000;

/** Debian's Chromium with a fresh profile. `close` removes the profile. */
export async function openBrowser(): Promise<{ browser: Browser; close: () => Promise<void> }> {
  const profile = mkdtempSync(join(tmpdir(), 'dewpost-chromium-'));
  const executablePath = ['/usr/bin/chromium', '/usr/bin/chromium-browser'].find((path) => existsSync(path)) ?? process.env['CHROMIUM'];
  // A wait is one call that lasts until it is met: this must be longer than the longest of them.
  const browser = await puppeteer.launch({ executablePath, args: [...FLAGS, `--user-data-dir=${profile}`], protocolTimeout: 300_000 });
  return {
    browser,
    async close() {
      await browser.close();
      rmSync(profile, { recursive: true, force: true, maxRetries: 5, retryDelay: 200 });
    },
  };
}

/** A page of this size whose faults (errors, content-policy violations) are gathered. */
export async function openPage(
  context: Browser | BrowserContext,
  { width = 1280, height = 800, dark = false }: { width?: number; height?: number; dark?: boolean } = {},
): Promise<{ page: Page; faults: string[] }> {
  const page = await context.newPage();
  page.setDefaultTimeout(PATIENCE);
  await page.setViewport({ width, height });
  await page.emulateMediaFeatures([
    { name: 'prefers-reduced-motion', value: 'reduce' },
    { name: 'prefers-color-scheme', value: dark ? 'dark' : 'light' },
  ]);
  const faults: string[] = [];
  page.on('pageerror', (error) => faults.push(`error: ${error instanceof Error ? error.message : String(error)}`));
  page.on('console', (message) => {
    const text = message.text();
    if (
      /Content Security Policy|violates the following/i.test(text) ||
      (message.type() === 'error' && !text.includes('Failed to load resource'))
    )
      faults.push(text);
  });
  // The browser asks whether a page with something unsaved may go: a walk that meets this has left too early.
  page.on('dialog', (dialog) => {
    faults.push(`asked: ${dialog.type()} ${dialog.message()}`);
    void dialog.accept();
  });
  await page.evaluateOnNewDocument(() => {
    document.addEventListener('securitypolicyviolation', (event) =>
      console.error(`Content Security Policy: ${event.violatedDirective} ${event.blockedURI}`),
    );
  });
  return { page, faults };
}

/** Clicks the button or link with this accessible name. */
export const press = (page: Page, name: string): Promise<void> => page.locator(`::-p-aria(${name})`).click();

/** Waits until the page, or this part of it, shows this text; where it does not come, the failure says what is shown instead. */
export const shows = async (page: Page, text: string | RegExp, part = 'body'): Promise<void> => {
  const pattern = typeof text === 'string' ? text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&') : text.source;
  const shown = (selector: string): string => (document.querySelector(selector) as HTMLElement | null)?.innerText ?? '';
  try {
    await page.waitForFunction(
      (wanted: string, selector: string) =>
        new RegExp(wanted).test(((document.querySelector(selector) as HTMLElement | null)?.innerText ?? '').replace(/\s+/g, ' ')),
      { polling: 200 },
      pattern,
      part,
    );
  } catch (error) {
    const instead = (await page.evaluate(shown, part)).replace(/\s+/g, ' ').slice(0, 3000);
    throw new Error(`"${pattern}" did not come; ${part} shows: ${instead}`, { cause: error });
  }
};

/** Empties a field and types into it, as a person does. */
export async function fill(page: Page, selector: string, text: string): Promise<void> {
  await page.waitForSelector(selector);
  await page.click(selector, { count: 3 });
  await page.keyboard.press('Backspace');
  await page.type(selector, text);
}

/** Chooses in a select: opens it, and takes the option with this text. */
export async function choose(page: Page, selector: string, text: string): Promise<void> {
  await page.locator(selector).click();
  await page.locator(`mat-option ::-p-text(${text})`).click();
  await page.waitForFunction(() => document.querySelector('mat-option') === null, { polling: 100 });
}

/** Chooses among many by typing: the words narrow the list, and this option is taken. */
export async function search(page: Page, selector: string, words: string, option: string): Promise<void> {
  await fill(page, selector, words);
  await page.locator(`mat-option ::-p-text(${option})`).click();
}

/** Waits until no dialog is on its way in or out. */
export const settled = (page: Page): Promise<unknown> =>
  page.waitForFunction(() => document.getAnimations().every((animation) => animation.playState !== 'running'), {
    polling: 100,
  });

/** What the API answers whoever is at this page; throws where it refuses. */
export const ask = <T>(page: Page, path: string, body?: object): Promise<T> =>
  page.evaluate(
    async (at, sent) => {
      const answer = await fetch(
        at,
        sent === undefined ? {} : { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify(sent) },
      );
      if (!answer.ok) throw new Error(`${at} ${JSON.stringify(sent)}: ${await answer.text()}`);
      return answer.json() as Promise<T>;
    },
    path,
    body,
  );
