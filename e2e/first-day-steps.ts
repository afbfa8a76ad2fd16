import { ask, choose, fill, press, search, shows } from './browser';
import { count, eachRow, go, mishap, noteBarriers, page, stack } from './walk';

/** The first day, as steps of the walk: sign in, make, write, fit, watch, arm and switch. */
export function itBegins(): void {
  it('sign in with one click; the first page says what to do', async () => {
    await page.goto(stack.address);
    await shows(page, 'Open as maker');
    await noteBarriers('sign-in');
    await press(page, 'Open as maker');
    await shows(page, 'Nothing measures yet');
    await noteBarriers('first run');
  });

  it('make three nodes from a build sheet', async () => {
    await press(page, 'Open the plan');
    await shows(page, 'Points that follow from it');
    await noteBarriers('plan');
    await press(page, 'New nodes');
    await fill(page, '#n-room', 'Proving room');
    await fill(page, '#n-pattern', 'Proving {n}');
    await shows(page, 'hyphen');
    await fill(page, '#n-pattern', 'proving-{n}');
    await fill(page, '#n-count', '3');
    await noteBarriers('new nodes');
    await press(page, 'Make 3 nodes');
    await shows(page, 'proving-3');
  });

  it('write them; a wrong passphrase and a spoiled image are told with cause and remedy, then put right', async () => {
    await go('/provision', '3 to write');
    await mishap({ what: 'port', port: 1, kind: 'digest' });
    await mishap({ what: 'port', port: 2, kind: 'passphrase' });
    await press(page, 'Write nodes');
    await shows(page, 'Before writing: 0 cannot be written, 3 ask');
    await shows(page, 'A fuse for the branch');
    await noteBarriers('before writing');
    await press(page, 'Write 3 with their warnings');
    await shows(page, 'The network refused the passphrase');
    await shows(page, 'read back is not what was sent');
    const remedies = await page.$$eval('dl.remedy', (all) => all.map((one) => (one as HTMLElement).innerText.replace(/\s+/g, ' ')));
    expect(remedies).toHaveLength(2);
    for (const remedy of remedies) expect(remedy).toMatch(/What .+ Cause .+ Next .+/);
    await noteBarriers('bench');
    await mishap({ what: 'port', port: 1, kind: 'none' });
    // The lower row first: what stands below a row moves when that one begins.
    await press(page, 'Write again proving-2');
    await eachRow(1, 'stopped');
    await press(page, 'Write again proving-1');
    await eachRow(0, 'stopped');
    await eachRow(3, 'proved');
  });

  it('see them live, as strips and as one trace', async () => {
    await go('/watch', 'What happened');
    await page.waitForFunction(
      () =>
        document.querySelectorAll('dp-reading-strip .value').length >= 9 &&
        [...document.querySelectorAll('dp-reading-strip .value')].every((v) => /\d/.test(v.textContent ?? '')),
    );
    await page.waitForSelector('.js-plotly-plot .scatterlayer .trace');
    await noteBarriers('watch');
    const names = await page.$$eval('dp-reading-strip [role=group]', (all) => all.map((one) => one.getAttribute('aria-label')));
    expect(names.filter((name) => /Dew point, proving-1, .*\d/.test(name ?? ''))).toHaveLength(1);
  });

  it('nothing is armed before it is fitted; a node is fitted in place, on a phone', async () => {
    await go('/provision/fit', '3 to fit');
    await noteBarriers('fit list');
    await go('/respond/relays', 'unarmed until its node is fitted');
    await page.setViewport({ width: 390, height: 844 });
    // On the mains it is asked for no meter, until it tells its volts by itself.
    await go('/provision/fit/proving-1', '0 of 4 passed');
    await press(page, 'Take 3 s of signal');
    await shows(page, '2 of 5 passed');
    await noteBarriers('fit at 390 px');
    const compare = async (label: string, hand: (value: number) => number): Promise<void> => {
      const value = await page.$$eval(
        'dp-fit .needs > li',
        (all, name) =>
          Number.parseFloat(
            [...all].find((one) => one.querySelector('.what b')?.textContent === name)!.querySelector('.now b')!.textContent!,
          ),
        label,
      );
      await page.$$eval(
        'dp-fit .needs > li',
        (all, [name, text]) => {
          const field = [...all].find((one) => one.querySelector('.what b')?.textContent === name)!.querySelector('input')!;
          field.value = text!;
          field.dispatchEvent(new Event('input'));
        },
        [label, String(hand(value))],
      );
      await press(page, `Compare ${label}`);
    };
    // A reading far from the hand instrument does not pass; one that agrees does.
    await compare('Air temperature', (value) => value - 9);
    await shows(page, 'Wait until both have settled');
    await compare('Air temperature', (value) => value + 0.2);
    // The list moves as one is compared: the next is pressed once it stands.
    await shows(page, '3 of 5 passed');
    await compare('Humidity', (value) => value + 1);
    await shows(page, '4 of 5 passed');
    // What was not operated cannot have been seen.
    await press(page, 'I saw it move Humidifier');
    await shows(page, 'Operate humidifier first');
    await press(page, 'On for 10 s Humidifier');
    await page.waitForFunction(() => /reads back\s+on/.test(document.body.innerText));
    await press(page, 'Off Humidifier');
    await page.waitForFunction(() => /reads back\s+off/.test(document.body.innerText));
    await press(page, 'I saw it move Humidifier');
    await shows(page, 'armed since');
    await page.setViewport({ width: 1280, height: 800 });
    await go('/provision/ledger', 'runs; nothing in it is ever changed');
    await shows(page, 'output:humidifier operated, and seen to move');
    // The other two, by the same doors without the page.
    for (const node of ['proving-2', 'proving-3']) {
      const fit = (path: string, body: object): Promise<unknown> => ask(page, `/api/v1/nodes/${node}/fit/${path}`, body);
      await fit('signal', {});
      for (const point of ['temperature', 'humidity']) {
        const { readings } = await ask<{ readings: [number, number][] }>(page, `/api/v1/points/${node}/${point}/readings`);
        await fit('checks', { kind: 'reading', point, hand: readings.at(-1)![1], tolerance: 20 });
      }
      const { points } = await ask<{ points: { id: number; node: string; name: string }[] }>(page, '/api/v1/snapshot');
      const humidifier = points.find((point) => point.node === node && point.name === 'humidifier')!.id;
      // On and off, each once it reads back: a guard may keep it for a while.
      for (const on of [true, false]) {
        await fit('operate', { point: 'humidifier', on });
        await page.waitForFunction(
          async (id, state) => {
            const relays = (await fetch('/api/v1/relays').then((answer) => answer.json())) as { point: number; state: boolean | null }[];
            return relays.find(({ point }) => point === id)?.state === state;
          },
          { polling: 200 },
          humidifier,
          on,
        );
      }
      await fit('checks', { kind: 'output', point: 'humidifier', seen: true });
      // The signal is taken for three seconds beside all that.
      await page.waitForFunction(
        async (id) =>
          ((await fetch(`/api/v1/nodes/${id}/fit`).then((answer) => answer.json())) as { fittedAt: number | null }).fittedAt !== null,
        { polling: 200 },
        node,
      );
    }
  });

  it('set a threshold: the alert comes to the handset, the relay goes on and off, and it is acknowledged', async () => {
    await go('/respond/thresholds', 'Thresholds');
    await noteBarriers('thresholds');
    await press(page, 'New threshold');
    await page.waitForSelector('#t-point');
    await search(page, '#t-point', 'proving-1 humidity', 'Humidity');
    await press(page, 'at or below');
    await fill(page, '#t-setpoint', '66');
    await fill(page, '#t-deadband', '8');
    await fill(page, '#t-on', '2');
    await fill(page, '#t-off', '0');
    await choose(page, '#t-output', 'Humidifier, proving-1');
    await shows(page, 'never the only protection');
    // What it recorded so far, and what the rule would have made of it: by a worker, in the shipped build.
    await shows(page, /On its own record[^]*as drawn/);
    await noteBarriers('new threshold');
    await press(page, 'Arm');
    await shows(page, '1 in force');

    await go('/respond', 'Alerts');
    await shows(page, 'Humidity too low');
    await press(page, 'Handset');
    await shows(page, 'after the reading');
    await noteBarriers('handset');
    await go('/respond/relays', 'Relays');
    const state = (wanted: string): Promise<unknown> =>
      page.waitForFunction(
        (w) =>
          [...document.querySelectorAll('dp-output-strip [role=group]')].some((row) =>
            new RegExp(`Humidifier, .*proving-1.*, ${w},`).test(row.getAttribute('aria-label') ?? ''),
          ),
        { polling: 100 },
        wanted,
      );
    await state('on');
    await noteBarriers('relays');
    await state('off');
    await go('/respond', 'Alerts');
    await page.waitForFunction(() => /cleared after/.test(document.body.innerText));
    const before = await count(page, '.lane-row button');
    await page.locator('.lane-row button').click();
    await page.waitForFunction(
      (n: number) => document.querySelectorAll('.lane-row button').length < n || /seen by maker|acknowledged/.test(document.body.innerText),
      {},
      before,
    );
  });

  it('switching by hand asks first, takes a time limit and shows what was read back', async () => {
    await go('/respond/relays', 'Relays');
    await press(page, 'Switch on Humidifier, proving-3');
    await shows(page, 'For how long?');
    await noteBarriers('switch on');
    const read = await page.$eval('[role=dialog]', (dialog) => ({
      cautions: (dialog as HTMLElement).innerText.match(/never the only protection/g)?.length,
      cut: [...dialog.querySelectorAll('mat-button-toggle-group')].filter((choice) => choice.scrollWidth > choice.clientWidth).length,
    }));
    expect(read).toEqual({ cautions: 1, cut: 0 });
    const labels = await page.$$eval('[role=dialog] button', (all) => all.map((one) => one.textContent?.trim() ?? ''));
    const ask = labels.find((text) => /^Switch on for/.test(text))!;
    await press(page, ask);
    await page.waitForFunction(() =>
      [...document.querySelectorAll('dp-output-strip [role=group]')].some((row) =>
        /proving-3.*, on,/.test(row.getAttribute('aria-label') ?? ''),
      ),
    );
    await shows(page, 'contact read back, proves it');
    await press(page, 'Done');
    await press(page, 'Switch off Humidifier, proving-3');
    await shows(page, 'even inside the shortest run');
    await press(page, 'Switch off');
    await press(page, 'Done');
    await page.waitForFunction(() =>
      [...document.querySelectorAll('dp-output-strip [role=group]')].every(
        (row) => !/proving-3.*, on,/.test(row.getAttribute('aria-label') ?? ''),
      ),
    );
  });

  it('a node cut off lets its output go when the lease is over, and says so when it is back', async () => {
    await go('/respond/relays', 'Relays');
    await press(page, 'Switch on Humidifier, proving-3');
    await shows(page, 'For how long?');
    const ask = (await page.$$eval('[role=dialog] button', (all) => all.map((one) => one.textContent?.trim() ?? ''))).find((text) =>
      /^Switch on for/.test(text),
    )!;
    await press(page, ask);
    const row = (state: string): Promise<unknown> =>
      page.waitForFunction(
        (w) =>
          [...document.querySelectorAll('dp-output-strip [role=group]')].some((one) =>
            new RegExp(`proving-3.*, ${w},`).test(one.getAttribute('aria-label') ?? ''),
          ),
        {},
        state,
      );
    await row('on');
    await mishap({ what: 'network', network: 'wrenfold-nodes', on: true });
    await press(page, 'Done');
    await row('unknown');
    await shows(page, 'link lost, off in');
    // The lease of the test site is 10 s.
    await shows(page, 'link lost, off by itself');
    await mishap({ what: 'network', network: 'wrenfold-nodes', on: false });
    const { body } = await page.evaluate(async () => {
      for (let i = 0; i < 60; i++) {
        const log = (await fetch('/api/v1/relays').then((r) => r.json())) as {
          state: boolean | null;
          reason: string | null;
          point: number;
        }[];
        if (log.every((relay) => relay.state !== null)) return { body: log };
        await new Promise((done) => setTimeout(done, 500));
      }
      return { body: [] as { state: boolean | null; reason: string | null }[] };
    });
    expect(body.length).toBe(3);
  });
}
