import { join } from 'node:path';
import { root } from '../scripts/lib/run.mjs';
import { choose, fill, press, search, shows } from './browser';
import { speakAs } from './fake-node';
import { afterwards, count, go, mishap, noteBarriers, page } from './walk';

/** Boards and nodes of all kinds, as steps of the walk: another tool chain’s, a gateway with its leaf, a hatch. */
export function itWritesOthers(): void {
  it('a board that another tool chain writes is taken at Join; its contact is proved by opening the hatch, with a photo beside it', async () => {
    const made = await page.evaluate(async () => {
      const call = (path: string, body: object): Promise<number | string> =>
        fetch(path, { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) }).then(async (answer) =>
          answer.ok ? 200 : answer.text(),
        );
      const draft = {
        board: 'wifi-dual-bare',
        supply: 'usb',
        antenna: 'antenna-board',
        wake: 'contact pulse',
        reportSeconds: 3,
        eventsPerDay: 6,
        outdoors: false,
        cableMetres: 0.5,
        parts: [{ ref: 'door', part: 'reed-closed' }],
        fixed: {},
        dividers: {},
      };
      return [
        await call('/api/v1/build-sheets', { name: 'Hatch contact', draft, base: null }),
        await call('/api/v1/nodes', { id: 'hatch-1', room: 'Grain loft', buildSheet: 'hatch-contact' }),
      ];
    });
    expect(made).toEqual([200, 200]);
    await go('/provision', 'hatch-1');
    await page.$$eval('.bench-row .name button', (all) => (all.find((one) => one.textContent?.includes('hatch-1')) as HTMLElement).click());
    await press(page, 'Written elsewhere hatch-1');
    await shows(page, 'waits for it to join');
    await noteBarriers('written elsewhere');
    // The header as the other tool chain gets it; from here on a client that knows nothing of this house but what stands there.
    const header = await page.evaluate(() =>
      fetch(document.querySelector<HTMLAnchorElement>('.bench-row a[href$="/header"]')!.href).then((answer) => answer.text()),
    );
    const of = (name: string): string => new RegExp(`#define NODE_${name}\\s+"?([^"\\n]+)"?`).exec(header)?.[1] ?? '';
    const point = of('POINT_0_NAME');
    let open = 0;
    const door = { id: of('ID'), key: of('KEY'), host: of('BROKER_HOST'), port: Number(of('BROKER_PORT')) };
    const { say, end } = await speakAs(door, () => [{ n: point, t: Date.now() / 1000, v: open }]);
    afterwards.push(end);
    await say('hello', { firmware: 'ownmade 3', resetReason: 'power-up', points: [point], hardwareId: 'own-board-7' });
    await page.waitForSelector('.bench-row[aria-label="hatch-1, proved"]');
    await press(page, 'Fit hatch-1');
    await press(page, 'Take 3 s of signal');
    await shows(page, '2 of 3 passed');
    await page.$$eval('dp-fit .needs button', (all) =>
      (all.find((one) => one.textContent?.trim().startsWith('Watch')) as HTMLElement).click(),
    );
    await shows(page, /Open or close .+ now/);
    open = 1;
    await shows(page, 'armed since');
    await shows(page, /changed to 1, [\d.]+ s after it was asked for/);
    const [chooser] = await Promise.all([
      page.waitForFileChooser(),
      page.$eval('dp-fit input[type=file]', (one) => (one as HTMLElement).click()),
    ]);
    await chooser.accept([join(root, 'docs/screenshots/provision-fit-phone.png')]);
    await page.waitForFunction(() => (document.querySelector('dp-fit .photos img') as HTMLImageElement | null)?.naturalWidth);
    await go('/provision/report?nodes=hatch-1', 'Not complete');
    await shows(page, 'its label was not printed');
    await shows(page, 'came by itself');
    expect(await count(page, 'dp-report img')).toBe(1);
    await noteBarriers('report');
  });

  it('a gateway and its leaf are put in order on their pages and written together, the gateway first', async () => {
    await page.evaluate(async () => {
      const post = (path: string, body: object) =>
        fetch(path, { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) });
      const draft = {
        board: 'gateway-board',
        supply: 'mains-backup-12',
        antenna: 'antenna-whip',
        reportSeconds: 2,
        eventsPerDay: 0,
        outdoors: false,
        cableMetres: 0,
        fixed: {},
        dividers: {},
        parts: [{ ref: 'level', part: 'signal-level' }],
      };
      await post('/api/v1/build-sheets', { name: 'Yard gateway', draft, base: null });
      await post('/api/v1/nodes', { id: 'yard-gate', room: 'Yard', buildSheet: 'hatch-contact' });
      await post('/api/v1/nodes', { id: 'yard-gateway', room: 'Yard', buildSheet: 'yard-gateway' });
    });
    await go('/plan/sums', 'How leaves send to their gateway');
    await fill(page, '#burst-count', '5');
    await press(page, 'Plan it so');
    await shows(page, 'No leaf follows it yet');
    await go('/provision/configurations', 'Over the air');
    await search(page, '#c-node', 'yard-gate', 'yard-gate');
    await shows(page, 'Over the air, yard-gate');
    await choose(page, '#c-gateway', 'yard-gateway, as its leaf');
    await shows(page, 'a leaf of yard-gateway: write both again at the bench');
    await shows(page, /"burst": \{\s*"count": 5/);
    await go('/provision', '2 to write');
    await press(page, 'Images and checks');
    await shows(page, 'Image for wifi-dual-bare');
    await choose(page, '#image-wifi-dual-bare', 'dewnode 1.0.0');
    await noteBarriers('images and checks');
    await page.$$eval('.preflight button.mat-mdc-unelevated-button', ([button]) => (button as HTMLElement).click());
    for (const node of ['yard-gateway', 'yard-gate']) await page.waitForSelector(`.bench-row[aria-label="${node}, proved"]`);
    await go('/provision/ledger', 'dewnode-1.0.0-wifi-dual-bare');
    const begun = await page.evaluate(async () => {
      const runs = (await fetch('/api/v1/provision/runs').then((answer) => answer.json())) as {
        node: string;
        startedAt: number;
        steps: { step: string; at: number }[];
      }[];
      const of = (node: string) => runs.find((one) => one.node === node)!;
      return { leaf: of('yard-gate').startedAt, joined: of('yard-gateway').steps.find((one) => one.step === 'join')!.at };
    });
    expect(begun.leaf).toBeGreaterThanOrEqual(begun.joined);
    // What proved the leaf came as datagrams to the gateway's stand-in, and through it.
    await shows(page, 'dew-ap-yard-gateway');
  });

  it('a hatch left open reaches the handset, though its node says nothing more; ticked nodes alone are written', async () => {
    const call = <T>(path: string, body: object): Promise<T> =>
      page.evaluate(
        ([at, sent]) =>
          fetch(at as string, { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify(sent) }).then(
            (answer) => answer.json() as Promise<unknown>,
          ),
        [path, body] as const,
      ) as Promise<T>;
    const draft = {
      board: 'wifi-dual-38',
      supply: 'usb',
      reportSeconds: 3600,
      eventsPerDay: 4,
      outdoors: false,
      cableMetres: 1.5,
      fixed: {},
      dividers: {},
      parts: [{ ref: 'hatch', part: 'reed-open' }],
    };
    await call('/api/v1/build-sheets', { name: 'Hatch post', draft, base: null });
    for (const id of ['trap-1', 'trap-2']) await call('/api/v1/nodes', { id, room: 'Grain loft', buildSheet: 'hatch-post' });
    await go('/provision', 'trap-2');
    await page.locator('input[aria-label="Write trap-1"]').click();
    await press(page, 'Write these 1');
    await page.waitForSelector('.bench-row[aria-label="trap-1, proved"]');
    await page.waitForSelector('.bench-row[aria-label="trap-2, not written"]');
    const act = (value: number): Promise<void> => mishap({ what: 'act', node: 'trap-1', point: 'open', value });
    await call('/api/v1/nodes/trap-1/fit/signal', {});
    await call('/api/v1/nodes/trap-1/fit/contact', { point: 'open' });
    await act(1);
    await go('/provision/fit/trap-1', 'Signal in place');
    await act(0);
    await shows(page, 'armed since');
    await go('/respond/thresholds', 'Thresholds');
    await press(page, 'New threshold');
    await page.waitForSelector('#t-point');
    await search(page, '#t-point', 'trap-1 open', 'Open');
    await press(page, 'at or above');
    for (const [id, value] of Object.entries({ setpoint: '0.5', deadband: '0.4', on: '3', off: '0' })) await fill(page, `#t-${id}`, value);
    await shows(page, 'what it said last holds until then');
    await press(page, 'Arm');
    // Its name stands in the roster anyway: leaving before the rule is kept would take the asking along.
    await page.waitForFunction(
      async () => {
        const rules = (await fetch('/api/v1/thresholds').then((answer) => answer.json())) as { setpoint: number; onDelaySeconds: number }[];
        return rules.some((rule) => rule.setpoint === 0.5 && rule.onDelaySeconds === 3);
      },
      { polling: 200 },
    );
    await act(1);
    await go('/respond', 'Alerts');
    await shows(page, 'Open for 3 s');
    await press(page, 'Handset');
    await page.waitForFunction(() =>
      (document.querySelector('dp-handset-drawer') as HTMLElement | null)?.innerText.includes('Open for 3 s'),
    );
    await act(0);
    await page.waitForFunction(() => /Open for 3 s[^]*cleared after/.test(document.body.innerText));
  });
}
