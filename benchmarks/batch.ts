// A batch of 24 stand-in boards written four at a time: does the bench's page stay smooth meanwhile?
import { mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join, relative } from 'node:path';
import { openBrowser, openPage, press, shows } from '../e2e/browser';
import { freePort, root } from '../scripts/lib/run.mjs';
import { startStack } from '../scripts/lib/stack.mjs';
import { percentile, ratio } from './report';

const NODES = 24;
const PORTS = 4;
const directory = join(root, `.data/bench-batch-${process.pid}`);
mkdirSync(directory, { recursive: true });
const world = join(directory, 'world.json');
writeFileSync(world, JSON.stringify({ ...JSON.parse(readFileSync('standins/worlds/quick.json', 'utf8')), ports: PORTS }));
const ports = { http: await freePort(), mqtt: await freePort(), standins: await freePort(), database: await freePort() };
const stack = await startStack({
  dataDirectory: directory,
  ports,
  scenario: 'server/demo/quick.json',
  world: relative(root, world),
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
      fetch('/api/v1/nodes/batch', {
        method: 'POST',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify({
          ids: Array.from({ length: count }, (_, i) => `batch-${String(i + 1).padStart(2, '0')}`),
          room: 'Proving room',
          buildSheet: 'climate-post',
        }),
      }).then((answer) => answer.status),
    NODES,
  );
  if (made !== 200) throw new Error(`nodes were not made: ${made}`);
  await page.goto(`${stack.address}/provision`);
  await shows(page, `${NODES} to write`);
  // As text: what the loader of this file adds to functions does not exist in the page.
  const frames = (until: string): Promise<number[]> =>
    page.evaluate(`new Promise((resolve) => {
      const gaps = [];
      const began = performance.now();
      let last = began;
      requestAnimationFrame(function look(now) {
        gaps.push(now - last);
        last = now;
        const wanted = ${JSON.stringify(until)};
        const over = wanted === '' ? now - began > 8000 : document.querySelectorAll('.bench-row[aria-label$=", proved"]').length >= Number(wanted);
        if (over || now - began > 240000) resolve(gaps.slice(1));
        else requestAnimationFrame(look);
      });
    })`) as Promise<number[]>;
  /** Gaps between frames, ms: at rest for eight seconds, then until so many rows say that they are proved. */
  const idle = await frames('');
  let most = 0;
  const watching = setInterval(() => {
    void page
      .evaluate(() =>
        fetch('/standins/ports')
          .then((answer) => answer.json() as Promise<{ open: boolean }[]>)
          .then((all) => all.filter((port) => port.open).length),
      )
      .then((open) => (most = Math.max(most, open)))
      // The page is on its way out.
      .catch(() => undefined);
  }, 1000);
  const began = Date.now();
  await press(page, 'Write nodes');
  await press(page, `Write ${NODES} with their warnings`);
  const busy = await frames(`${NODES}`);
  clearInterval(watching);
  const proved = await page.$$eval('.bench-row[aria-label$=", proved"]', (rows) => rows.length);
  const seconds = (Date.now() - began) / 1000;
  if (proved !== NODES || most !== PORTS) {
    console.log(`MISSED ${proved} of ${NODES} proved, ${most} of ${PORTS} ports at once`);
    process.exitCode = 1;
  }
  const [quiet, loaded] = [percentile(idle, 0.99), percentile(busy, 0.99)];
  ratio(
    `bench page while ${NODES} boards are written ${PORTS} at a time: 99th percentile between frames against the same page at rest`,
    loaded,
    quiet,
    { atMost: 4 },
    `${loaded.toFixed(0)} ms against ${quiet.toFixed(0)} ms (longest ${Math.max(...busy).toFixed(0)} ms, median ${percentile(busy, 0.5).toFixed(0)} ms); all proved after ${seconds.toFixed(0)} s`,
  );
} finally {
  await close();
  await stack.stop();
  await stack.database.destroy();
  rmSync(directory, { recursive: true, force: true });
}
