// How soon Watch and the bench show something useful on a slow processor, and whether a roster of 200 nodes scrolls smoothly.
import { join } from 'node:path';
import { rmSync } from 'node:fs';
import { openBrowser, openPage, press, shows } from '../e2e/browser';
import { freePort, root } from '../scripts/lib/run.mjs';
import { startStack } from '../scripts/lib/stack.mjs';
import { percentile, ratio } from './report';

const NODES = 200;
const SLOWER = 4;
const ROUNDS = 5;
const SCROLL_MS = 5000;
const directory = join(root, `.data/bench-paint-${process.pid}`);
const ports = { http: await freePort(), mqtt: await freePort(), standins: await freePort(), database: await freePort() };
const stack = await startStack({
  dataDirectory: directory,
  ports,
  scenario: 'server/demo/quick.json',
  world: 'standins/worlds/quick.json',
  env: {},
});
const { browser, close } = await openBrowser();
try {
  const { page } = await openPage(browser);
  await page.goto(stack.address);
  await press(page, 'Open as maker');
  await shows(page, 'Nothing measures yet');
  const made = await page.evaluate(
    (count) =>
      Promise.all(
        Array.from({ length: count / 50 }, (_, batch) =>
          fetch('/api/v1/nodes/batch', {
            method: 'POST',
            headers: { 'content-type': 'application/json' },
            body: JSON.stringify({
              ids: Array.from({ length: 50 }, (_node, i) => `paint-${String(batch * 50 + i + 1).padStart(3, '0')}`),
              room: `Room ${batch + 1}`,
              buildSheet: 'climate-post',
            }),
          }).then((answer) => answer.status),
        ),
      ),
    NODES,
  );
  if (made.some((status) => status !== 200)) throw new Error(`nodes were not made: ${made.join(', ')}`);

  const devtools = await page.createCDPSession();
  await devtools.send('Network.enable');
  await devtools.send('Network.setCacheDisabled', { cacheDisabled: true });
  await devtools.send('Emulation.setCPUThrottlingRate', { rate: SLOWER });
  /** From the click on a link to the frame in which this is there, ms; the median of a few cold loads. */
  const until = async (path: string, selector: string): Promise<number> => {
    const times: number[] = [];
    for (let i = 0; i < ROUNDS; i++) {
      await page.goto('about:blank');
      const began = Date.now();
      await page.goto(stack.address + path, { waitUntil: 'domcontentloaded' });
      await page.waitForSelector(selector, { timeout: 60_000 });
      times.push(Date.now() - began);
    }
    return percentile(times, 0.5);
  };
  const signIn = await until('/sign-in', 'form h1');
  const watch = await until('/watch', 'dp-reading-strip');
  const bench = await until('/provision', '.bench-row');
  for (const [name, ms] of [
    ['Watch', watch],
    ['Bench', bench],
  ] as const)
    ratio(
      `${name} with ${NODES} nodes, from nothing to its first strip or row, against the sign-in page on the same processor`,
      ms,
      signIn,
      { atMost: 4 },
      `${ms} ms against ${signIn} ms, nothing cached, processor slowed ${SLOWER} times`,
    );

  await devtools.send('Emulation.setCPUThrottlingRate', { rate: 1 });
  await page.goto(`${stack.address}/provision`);
  await page.waitForSelector('.bench-row');
  // As text: what the loader of this file adds to functions does not exist in the page.
  const frames = (scrolls: boolean): Promise<number[]> =>
    page.evaluate(`new Promise((resolve) => {
      const list = document.querySelector('dp-roster .list');
      const gaps = [];
      const began = performance.now();
      let last = began;
      requestAnimationFrame(function look(now) {
        gaps.push(now - last);
        last = now;
        if (${scrolls}) list.scrollTop = (list.scrollHeight - list.clientHeight) * (0.5 - 0.5 * Math.cos((now - began) / 400));
        if (now - began > ${SCROLL_MS}) resolve(gaps.slice(1));
        else requestAnimationFrame(look);
      });
    })`) as Promise<number[]>;
  const still = await frames(false);
  const scrolled = await frames(true);
  const [quiet, loaded] = [percentile(still, 0.99), percentile(scrolled, 0.99)];
  ratio(
    `roster of ${NODES} nodes scrolled for ${SCROLL_MS / 1000} s: 99th percentile between frames against the same page at rest`,
    loaded,
    quiet,
    { atMost: 3 },
    `${loaded.toFixed(0)} ms against ${quiet.toFixed(0)} ms (longest ${Math.max(...scrolled).toFixed(0)} ms against ${Math.max(...still).toFixed(0)} ms)`,
  );
} finally {
  await close();
  await stack.stop();
  await stack.database.destroy();
  rmSync(directory, { recursive: true, force: true });
}
