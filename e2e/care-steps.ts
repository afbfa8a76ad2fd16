import { execFileSync } from 'node:child_process';
import { choose, fill, press, search, shows } from './browser';
import { go, mishap, noteBarriers, page, stack } from './walk';

/** What runs, and what others have made, as steps of the walk. */
export function itCaresFor(): void {
  it('what runs is told over the air: an interval, a new key, none any more; what switches outputs cannot be a leaf', async () => {
    const pick = (node: string): Promise<void> => search(page, '#c-node', node, node);
    await go('/provision/configurations', 'Over the air');
    await pick('proving-2');
    await shows(page, 'Over the air, proving-2');
    await fill(page, '.air input[type=number]', '2');
    await press(page, 'Tell it');
    await shows(page, 'proving-2 is told to report every 2 s');
    await shows(page, /proving-2\s*revision 2, /, 'aside.side');
    await press(page, 'Rotate its key');
    await shows(page, '1 told a new key');
    await page.waitForFunction(
      () =>
        fetch('/api/v1/nodes')
          .then((answer) => answer.json() as Promise<{ id: string; keyRotates: boolean; connected: boolean }[]>)
          .then((all) => all.some((one) => one.id === 'proving-2' && !one.keyRotates && one.connected)),
      { polling: 300 },
    );
    await choose(page, '#c-gateway', 'yard-gateway, as its leaf');
    await shows(page, 'switches outputs: a leaf sleeps and takes no commands');
    await pick('batch-6');
    await shows(page, 'Over the air, batch-6');
    await press(page, 'Revoke its key');
    await shows(page, 'cut off at once');
    await noteBarriers('revoking');
    await press(page, 'Revoke it');
    await shows(page, 'The key of batch-6 is worthless now');
    await go('/upkeep/proving-2', 'its new key has been used: the old one is worthless now');
    await go('/upkeep/batch-6', 'its key was revoked by maker');
    await page.waitForFunction(
      () =>
        fetch('/api/v1/nodes')
          .then((answer) => answer.json() as Promise<{ id: string; connected: boolean }[]>)
          .then((all) => all.some((one) => one.id === 'batch-6' && !one.connected)),
      { polling: 300 },
    );
  });

  it('a source is made in two fields, asks about what it is sent, and posts by the line copied from its page', async () => {
    await go('/provision/sources', 'It needs no bench and no fit');
    await fill(page, '#s-name', 'Yard weather');
    await fill(page, '#s-room', 'Yard');
    await press(page, 'Make the source');
    await shows(page, 'Its key');
    const key = await page.$eval('code', (code) => code.textContent ?? '');
    const send = (line: string): string =>
      execFileSync('sh', ['-c', line], { env: { ...process.env, KEY: key }, encoding: 'utf8', timeout: 20_000 });
    const up = `${stack.address}/node/v1/up`;
    expect(send(`curl -s -H "Authorization: Bearer $KEY" -d wind=3.2 ${up}`)).toContain('unknown point');
    await shows(page, 'wind came and is not known yet');
    await press(page, 'Add wind');
    await fill(page, '#s-label', 'Wind');
    await fill(page, '#s-unit', 'm/s');
    await press(page, 'Add the point');
    await page.waitForSelector('pre');
    await noteBarriers('source');
    const [curl, mqtt] = await page.$$eval('pre', (lines) => lines.map((line) => line.textContent ?? ''));
    expect([curl!.includes(key), curl!.includes('$KEY')]).toEqual([false, true]);
    expect(JSON.parse(send(curl!.replace('curl ', 'curl -s '))).stored).toBe(1);
    await shows(page, '60.0 m/s');
    send(mqtt!.replace('"wind":60', '"wind":12.5'));
    await shows(page, '12.5 m/s');
    await go('/watch', 'What happened');
    await press(page, 'Yard');
    await shows(page, 'Wind');
  });

  it('a node whose firmware stays as it is: adopted, heard, mapped, and seen on its room’s dashboard', async () => {
    await go('/provision/adopted', 'Adopt it');
    await fill(page, '#a-name', 'Bread oven');
    await fill(page, '#a-room', 'Bakery');
    await press(page, 'Adopt it');
    await shows(page, 'Nothing heard yet');
    const password = await page.$eval('.account code', (code) => code.textContent ?? '');
    const say = (message: string): string =>
      execFileSync(
        'mosquitto_pub',
        [
          ...['-h', '127.0.0.1', '-p', String(stack.mqttPort), '-u', 'bread-oven', '-P', password, '-t', 'bread-oven/state', '-r'],
          ...['-q', '1', '-m', message],
        ],
        { encoding: 'utf8', timeout: 20_000 },
      );
    say('{"temp":{"top":2314},"door":"shut"}');
    await page.waitForSelector('.leaf');
    await page.$$eval('.leaf', (rows) => (rows.find((row) => row.textContent?.includes('2314')) as HTMLElement).click());
    await fill(page, '#m-label', 'Oven, top');
    await fill(page, '#m-unit', '°C');
    await page.$$eval('dp-map-editor dp-number-field input', (fields) => {
      const [factor] = fields as HTMLInputElement[];
      factor!.value = '0.1';
      for (const type of ['input', 'change', 'blur']) factor!.dispatchEvent(new Event(type, { bubbles: true }));
    });
    await press(page, 'Tie it');
    await shows(page, '231.4 °C');
    await noteBarriers('adopted');
    await press(page, 'Keep what it means');
    await shows(page, 'what comes from now on is stored');
    say('{"temp":{"top":2502},"door":"shut"}');
    await go('/watch', 'What happened');
    await press(page, 'Bakery');
    await shows(page, '250.2');
  });

  it('a board fresh from the shop is written through its chip’s boot loader, proved by its own digest, and reports', async () => {
    await mishap({ what: 'port', port: 1, kind: 'fresh-no-boot' });
    const post = (path: string, body: object): Promise<unknown> =>
      page.evaluate(
        (at, json) =>
          fetch(at, { method: 'POST', headers: { 'content-type': 'application/json' }, body: json }).then((answer) => answer.json()),
        path,
        JSON.stringify(body),
      );
    await post('/api/v1/nodes', { id: 'fresh-1', room: 'Bakery', buildSheet: 'climate-post' });
    await go('/provision', 'fresh-1');
    await page.waitForSelector('input[aria-label="Write fresh-1"]');
    await page.$eval('input[aria-label="Write fresh-1"]', (box) => (box as HTMLElement).click());
    await press(page, 'Write these 1');
    await press(page, 'Write 1 with its warnings');
    // It does not come into its loader by itself: which button to hold is drawn, and its own port takes it again.
    await shows(page, 'The chip’s boot loader did not answer; the board was not touched.');
    expect(await page.$eval('dp-boot-button svg', (drawing) => drawing.getAttribute('aria-label'))).toContain('BOOT is ringed');
    await press(page, 'Write again fresh-1');
    await page.waitForFunction(
      () =>
        fetch('/api/v1/provision/runs')
          .then((answer) => answer.json() as Promise<{ node: string; steps: { step: string }[] }[]>)
          .then((runs) => runs.some((run) => run.node === 'fresh-1' && run.steps.some(({ step }) => step === 'readings'))),
      { polling: 500 },
    );
    const steps = await page.evaluate(() =>
      fetch('/api/v1/provision/runs')
        .then((answer) => answer.json() as Promise<{ node: string; steps: { step: string; state: string; detail: string }[] }[]>)
        .then((runs) => runs.find((run) => run.node === 'fresh-1')!.steps.map(({ step, state, detail }) => `${step} ${state} ${detail}`)),
    );
    expect(steps[0]).toMatch(/^check done rom-slip-2, in its boot loader/);
    expect(steps[2]).toMatch(/^digest done the chip’s own MD5 of 3 parts, alike/);
    expect(steps[3]).toMatch(/^configure done region at 0x3f0000/);
  });
}
