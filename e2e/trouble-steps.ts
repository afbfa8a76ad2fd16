import { once } from 'node:events';
import { service } from '../scripts/lib/run.mjs';
import { choose, fill, press, shows } from './browser';
import { go, mishap, noteBarriers, page, stack } from './walk';

/** What goes wrong, as steps of the walk: the server ends, boards fail, an image takes itself back. */
export function itGoesWrong(): void {
  it('keeps its place when the server goes and comes back: no gap in what was measured meanwhile', async () => {
    await go('/watch', 'What happened');
    const port = new URL(stack.address).port;
    await stack.server.stop();
    await shows(page, 'lost');
    // So long it is away: its nodes have something to keep.
    await new Promise((done) => setTimeout(done, 3000));
    const again = service(['server/dist/main.js'], { env: { ...stack.env, DEWPOST_HTTP_PORT: port }, ready: /listening/ });
    stack.server = again;
    await again.started;
    await page.waitForFunction(() => !/lost/.test(document.querySelector('.lost')?.textContent ?? ''));
    const cameBack = Date.now();
    // What it kept is there once something live is: that comes after.
    const gaps = await page
      .waitForFunction(
        async (since) => {
          const { readings } = (await fetch(`/api/v1/points/proving-2/temperature/readings?from=${Date.now() - 20_000}`).then((r) =>
            r.json(),
          )) as { readings: [number, number, number][] };
          return (readings.at(-1)?.[0] ?? 0) > since + 1000 && readings.slice(1).map(([at], j) => at - readings[j]![0]);
        },
        { polling: 200 },
        cameBack,
      )
      .then((found) => found.jsonValue() as Promise<number[]>);
    // Reports come every second; the node kept them while the server was away.
    expect(gaps.length).toBeGreaterThan(10);
    expect(Math.max(...gaps)).toBeLessThan(2500);
    await again.stop();
    stack.server = service(['server/dist/main.js'], { env: { ...stack.env, DEWPOST_HTTP_PORT: port }, ready: /listening/ });
    await stack.server.started;
  });

  it('a batch goes on when its page is read anew and the server ends in the middle of it, until every node is proved', async () => {
    const made = await page.evaluate(() =>
      fetch('/api/v1/nodes/batch', {
        method: 'POST',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify({ ids: [1, 2, 3, 4, 5, 6].map((n) => `batch-${n}`), room: 'Workshop', buildSheet: 'climate-post' }),
      }).then((answer) => answer.status),
    );
    expect(made).toBe(200);
    await go('/provision', '6 to write');
    await press(page, 'Write nodes');
    await press(page, 'Write 6 with their warnings');
    await page.waitForFunction(
      () => document.querySelectorAll('.bench-row').length >= 6 && /Batch: \d of 6 proved/.test(document.body.innerText),
    );
    await page.reload();
    await shows(page, 'Bench');
    await page
      .waitForFunction(() => /\d+ %/.test(document.querySelector('.bench-row svg')?.textContent ?? ''), { timeout: 20_000, polling: 50 })
      .catch(() => undefined);
    // In the middle of a write: the ports go with the server, and come back with it.
    const port = new URL(stack.address).port;
    const gone = once(stack.server.child, 'exit');
    stack.server.child.kill('SIGKILL');
    await gone;
    stack.server = service(['server/dist/main.js'], { env: { ...stack.env, DEWPOST_HTTP_PORT: port }, ready: /listening/ });
    await stack.server.started;
    const results = (): Promise<string[]> =>
      page.evaluate(() =>
        fetch('/api/v1/provision/batches')
          .then((answer) => answer.json() as Promise<{ nodes: { result: string }[] }[]>)
          .then(([batch]) => batch!.nodes.map((one) => one.result)),
      );
    await page
      .waitForFunction(
        () =>
          fetch('/api/v1/provision/batches')
            .then((answer) => answer.json() as Promise<{ nodes: { result: string }[] }[]>)
            .then(([batch]) => batch!.nodes.every((node) => node.result === 'proved'))
            .catch(() => false),
        { polling: 1000 },
      )
      .catch(() => undefined);
    expect(await results()).toEqual(Array<string>(6).fill('proved'));
    // The ledger keeps what the reload cut off as well.
    await go('/provision/ledger', 'runs; nothing in it is ever changed');
    await fill(page, 'input[type=search]', 'batch-');
    await noteBarriers('ledger');
  });

  it('tells every kind of failure by its cause; what can be got over on the line is got over', async () => {
    await page.evaluate(() =>
      fetch('/api/v1/nodes/batch', {
        method: 'POST',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify({ ids: [1, 2, 3].map((n) => `each-${n}`), room: 'Workshop', buildSheet: 'climate-post' }),
      }),
    );
    await go('/provision', '3 to write');
    const kinds: [string, RegExp][] = [
      ['wrong-board', /another board than the sheet/],
      ['digest', /read back is not what was sent/],
      ['port-closed', /port was lost under way/],
      ['full-store', /no room for its configuration/],
      ['brown-out', /supply breaks down at the radio/],
      ['passphrase', /refused the passphrase/],
      ['name', /name differs in a letter/],
      ['stray-space', /differs by a space/],
      ['five-gigahertz', /5 GHz only; small boards/],
      ['hidden-name', /router hides its name/],
      ['weak-signal', /too weakly/],
      ['no-address', /got no address/],
      ['address-taken', /somebody else has its address/],
      ['clock-not-set', /could not set its clock/],
      ['broker-refused', /broker refused its key/],
      ['broker-unreachable', /cannot reach the broker/],
      ['name-clash', /another of its name/],
      ['stuck-erasing', /began to erase its slot/],
      // Its board could be fresh from the shop: that is asked for as well.
      ['no-answer', /boot loader did not answer/],
    ];
    // By the document, not by the pointer: rows move when the one above begins.
    const again = (count: number): Promise<void> =>
      page.$$eval(
        '.bench-row[aria-label^="each-"] dl.remedy button',
        (all, n) =>
          all
            .filter((button) => button.textContent?.trim().startsWith('Write again'))
            .slice(0, n)
            .forEach((button) => (button as HTMLElement).click()),
        count,
      );
    const rowWords = (): Promise<string[]> =>
      page.$$eval('.bench-row, .said, .batch', (all) => all.map((one) => one.getAttribute('aria-label') ?? one.textContent ?? ''));
    const remedies = (): Promise<string[]> =>
      page.$$eval('.bench-row[aria-label^="each-"] dl.remedy', (all) =>
        all.map((one) => (one as HTMLElement).innerText.replace(/\s+/g, ' ')),
      );
    for (let i = 0; i < kinds.length; i += 3) {
      const three = kinds.slice(i, i + 3);
      for (const [n, [kind]] of three.entries()) await mishap({ what: 'port', port: n + 1, kind });
      if (i === 0) {
        await press(page, 'Write nodes');
        await press(page, 'Write 3 with their warnings');
      } else await again(three.length);
      const told = await page
        .waitForFunction(
          (sources: string[]) => {
            const texts = [...document.querySelectorAll('.bench-row[aria-label^="each-"] dl.remedy')].map((one) =>
              (one as HTMLElement).innerText.replace(/\s+/g, ' '),
            );
            return sources.every((source) => texts.some((text) => new RegExp(source).test(text)));
          },
          { polling: 200 },
          three.map(([, pattern]) => pattern.source),
        )
        .catch(() => null);
      expect([three.map(([kind]) => kind), told === null ? [await remedies(), await rowWords()] : 'told']).toEqual([
        three.map(([kind]) => kind),
        'told',
      ]);
      for (const text of await remedies()) expect(text).toMatch(/What .+ Cause .+ Next .+/);
      // A port stays open for a moment after its board stopped.
      await page.waitForFunction(
        () =>
          fetch('/standins/ports')
            .then((answer) => answer.json() as Promise<{ open: boolean }[]>)
            .then((ports) => ports.every((port) => !port.open)),
        { polling: 500 },
      );
    }
    await noteBarriers('bench with failures');
    // Lost, spoiled and stale frames are got over without anybody.
    for (const [n, kind] of ['lost-frames', 'out-of-order', 'bit-flips'].entries()) await mishap({ what: 'port', port: n + 1, kind });
    await again(3);
    await page.waitForFunction(() => document.querySelectorAll('.bench-row[aria-label^="each-"][aria-label$=", proved"]').length === 3);
  });

  it('an image that never reports in halts its rollout, which takes itself back', async () => {
    await mishap({ what: 'air', kind: 'never-reports' });
    await go('/provision/rollouts', 'No rollout yet');
    await press(page, 'New rollout');
    await choose(page, '#r-image', '1.1.0-rc.1');
    await fill(page, '#r-settle', '4');
    await fill(page, '#r-patience', '60');
    await shows(page, 'Send it to');
    await noteBarriers('new rollout');
    await page.click('button[type=submit]');
    await shows(page, 'rolled back');
    await shows(page, 'it fell back by itself');
    await noteBarriers('rolled back');
    await mishap({ what: 'air', kind: 'power-lost-fetching' });
    await press(page, 'New rollout');
    await choose(page, '#r-image', '1.1.0-rc.1');
    await fill(page, '#r-settle', '4');
    await fill(page, '#r-patience', '60');
    await fill(page, '#r-shares', '100');
    await page.click('button[type=submit]');
    // Power lost in the middle, at every one of them: each goes on where it was.
    await shows(page, /dewnode 1\.1\.0-rc\.1\s*done/, '.work');
    await mishap({ what: 'air', kind: 'none' });
    await go('/provision/ledger', 'runs; nothing in it is ever changed');
    await shows(page, 'image whole, digest and signature hold');
  });
}
