import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Browser, Page } from 'puppeteer-core';
import { freePort, root } from '../scripts/lib/run.mjs';
import { startStack, type Stack } from '../scripts/lib/stack.mjs';
import { openBrowser, openPage, settled, shows } from './browser';

const AXE = readFileSync(require.resolve('axe-core/axe.min.js'), 'utf8');
// What the steps of the walk share: read where they are run, set by `begin`.
export let stack: Stack;
export let mqttPort: number;
export let browser: Browser;
export let page: Page;
export let faults: string[];
let close: () => Promise<void>;

/** Starts the house, its stand-ins and a browser. */
export async function begin(): Promise<void> {
  const ports = { http: await freePort(), mqtt: await freePort(), standins: await freePort(), database: await freePort() };
  mqttPort = ports.mqtt;
  stack = await startStack({
    dataDirectory: join(root, `.data/e2e-${process.pid}`),
    ports,
    scenario: 'server/demo/quick.json',
    world: 'standins/worlds/quick.json',
    env: { DEWPOST_TICK_MS: '200', DEWPOST_FIT_SECONDS: '3', DEWPOST_LEAF_PORT: String(await freePort()) },
  });
  ({ browser, close } = await openBrowser());
  ({ page, faults } = await openPage(browser));
}

/** What a step has opened that outlives it. */
export const afterwards: (() => Promise<void>)[] = [];

export async function end(): Promise<void> {
  for (const last of afterwards) await last();
  await close?.();
  // The server was started anew on the way: this one is not among the stack's own children.
  await stack?.server.stop();
  await stack?.stop();
  await stack?.database.destroy();
}

export const barriers: string[] = [];
/**
 * Notes what axe-core finds serious or critical on the page as it stands; the last test fails with all of it. Contrast takes most of its time: where it
 * was looked at already, or alone is to be, `contrast` says so.
 */
export async function noteBarriers(where: string, on: Page = page, contrast: 'too' | 'not' | 'only' = 'too'): Promise<void> {
  await settled(on);
  await on.evaluate(AXE);
  const rules = { too: '', not: ', rules: { "color-contrast": { enabled: false } }', only: ', runOnly: ["color-contrast"]' }[contrast];
  const found = (await on.evaluate(`axe.run(document, { resultTypes: ["violations"]${rules} })`)) as {
    violations: { id: string; impact: string; nodes: { html: string }[] }[];
  };
  for (const v of found.violations)
    if (v.impact === 'serious' || v.impact === 'critical')
      barriers.push(`${where}: ${v.id}: ${v.nodes.map((n) => n.html.slice(0, 140)).join(' | ')}`);
}
export const go = async (path: string, text: string): Promise<void> => {
  await page.goto(stack.address + path);
  await shows(page, text);
};
export const mishap = (body: object): Promise<void> =>
  page.evaluate(
    (b) =>
      fetch('/standins/mishaps', { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify(b) }).then(
        () => undefined,
      ),
    body,
  );
/** Waits until this many rows of the bench are in this state; where they are not, the failure says how each row stands. */
export const eachRow = async (wanted: number, state: string): Promise<void> => {
  const rows = (): Promise<string[]> =>
    page.$$eval('.bench-row', (all) => all.map((row) => `${row.getAttribute('aria-label') ?? ''}: ${(row as HTMLElement).innerText}`));
  await page
    .waitForFunction(
      (n: number, suffix: string) => document.querySelectorAll(`.bench-row[aria-label$=", ${suffix}"]`).length === n,
      { polling: 200 },
      wanted,
      state,
    )
    .catch(async (error: unknown) => {
      throw new Error(`not ${wanted} rows are ${state}: ${JSON.stringify(await rows())}`, { cause: error });
    });
};
export const count = (on: Page, selector: string): Promise<number> => on.$$eval(selector, (all) => all.length);
