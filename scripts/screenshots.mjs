// npm run screenshots: current pictures of the main views, from the demo data, into docs/screenshots/.
import { mkdirSync } from 'node:fs';
import { join } from 'node:path';
import { fill, openBrowser, openPage, press, search, shows } from '../e2e/browser.ts';
import { buildStale, ensurePackages, ensureSystem } from './lib/prepare.mjs';
import { freePort, root } from './lib/run.mjs';
import { startStack } from './lib/stack.mjs';

await ensurePackages();
await ensureSystem('postgresql', 'chromium');
await buildStale();
const dataDirectory = join(root, `.data/pictures-${process.pid}`);
const out = process.env.PICTURES ?? join(root, 'docs/screenshots');
mkdirSync(out, { recursive: true });
const ports = { http: await freePort(), mqtt: await freePort(), standins: await freePort(), database: await freePort() };
const stack = await startStack({
  dataDirectory,
  ports,
  scenario: 'server/demo/wrenfold-mill.json',
  world: 'standins/worlds/wrenfold-mill.json',
  show: (text) => process.stdout.write(text),
});
const { browser, close } = await openBrowser();
const pause = (ms) => new Promise((done) => setTimeout(done, ms));
try {
  const { page, faults } = await openPage(browser);
  const shot = async (name) => {
    await pause(700);
    await page.screenshot({ path: join(out, `${name}.png`) });
    console.log(name);
  };
  await page.goto(`${stack.address}/sign-in`);
  await shows(page, 'Or look round Wrenfold Mill');
  await press(page, 'Open as maker');
  await shows(page, 'What happened');
  // The proving room dries, trips within the minute and is humidified.
  await page.goto(`${stack.address}/watch/proving-room`);
  await shows(page, 'Humidity too low');
  await pause(12_000);
  await shot('watch');
  // Ordinary humidifying tells nobody: a second limit, which the room is past, does.
  await page.evaluate(async () => {
    const thresholds = await fetch('/api/v1/thresholds').then((answer) => answer.json());
    const { point } = thresholds.find((one) => one.tells === 'journal');
    const rule = { side: 'low', setpoint: 90, deadband: 2, onDelaySeconds: 0, offDelaySeconds: 0, severity: 'warning', output: null };
    await fetch('/api/v1/thresholds', {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ point, ...rule }),
    });
  });
  await page.goto(`${stack.address}/respond`);
  await shows(page, '1 waits');
  await press(page, 'Handset');
  await shows(page, 'after the reading');
  await shot('respond-alerts');
  await page.goto(`${stack.address}/respond/thresholds`);
  await shows(page, 'in force');
  await press(page, 'Change Humidity at or above 97.0 % of cellar-climate');
  await shows(page, 'On its own record');
  await fill(page, '#t-setpoint', '91.6');
  await fill(page, '#t-deadband', '0.9');
  await shows(page, 'Last on');
  await pause(1500);
  await page.$eval('dp-record-panel', (panel) => panel.scrollIntoView({ block: 'end' }));
  await shot('respond-threshold');
  await page.goto(`${stack.address}/respond/relays`);
  await shows(page, 'outputs,');
  await shot('respond-relays');
  await page.goto(`${stack.address}/plan/site`);
  await shows(page, 'Links, 26');
  await page.waitForFunction(() => document.querySelectorAll('dp-plan-drawing .sounding').length > 20);
  await page.$$eval('dp-link-table tbody button', (all) => all.find((one) => one.textContent?.trim() === 'gearbox')?.click());
  await shows(page, 'Try on plan');
  await shot('plan-site');
  await page.goto(`${stack.address}/plan/checks`);
  await shows(page, 'hours of work');
  await shot('plan-checks');
  // A rule that switches, proved from its reading to the contact of another node.
  await page.evaluate(async () => {
    const { points } = await fetch('/api/v1/snapshot').then((answer) => answer.json());
    const of = (node, name) =>
      points.find((point) => point.node === node && (name === null ? point.output !== null : point.name === name)).id;
    const rule = { side: 'high', setpoint: 85, deadband: 3, onDelaySeconds: 300, offDelaySeconds: 300, severity: 'warning' };
    await fetch('/api/v1/thresholds', {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ point: of('loft-climate', 'humidity'), output: of('loft-fan', null), ...rule }),
    });
  });
  await page.goto(`${stack.address}/respond/trip-tests`);
  await shows(page, 'to prove');
  await page.evaluate(() => [...document.querySelectorAll('.rule')].find((each) => each.innerText.includes('Humidity ≥ 85'))?.click());
  await page.locator('mat-checkbox input').click();
  await press(page, 'Run the test');
  await shows(page, 'Passed');
  await shot('respond-trip-tests');
  await page.goto(`${stack.address}/plan`);
  await press(page, 'New nodes');
  await page.waitForSelector('#n-pattern');
  await fill(page, '#n-room', 'Proving room');
  await fill(page, '#n-pattern', 'proving-{n}');
  await press(page, 'Make 3 nodes');
  await shows(page, '8 to write');
  await page.evaluate(() =>
    fetch('/standins/mishaps', {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ what: 'port', port: 2, kind: 'passphrase' }),
    }),
  );
  await press(page, 'Write nodes');
  await shows(page, 'Before writing');
  await press(page, 'Write 8 with their warnings');
  await shows(page, 'The network refused the passphrase');
  await shot('provision-bench');
  await page.goto(`${stack.address}/provision/listen`);
  await press(page, 'Port 1 of the stand-ins');
  await press(page, 'Restart the board');
  await shows(page, 'sends readings');
  await pause(1500);
  await shot('provision-listen');
  await page.setViewport({ width: 390, height: 844 });
  await page.goto(`${stack.address}/provision/fit`);
  await page.waitForSelector('a[href^="/provision/fit/"]');
  await page.goto(`${stack.address}/provision/fit/fern-mist`);
  await press(page, 'Take 60 s of signal');
  await pause(20_000);
  await shot('provision-fit-phone');
  await page.setViewport({ width: 1280, height: 800 });
  await page.evaluate(async () => {
    const send = (method, path, body) =>
      fetch(path, { method, headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) }).then((answer) => answer.json());
    const way = (name) => send('POST', '/api/v1/ways', { kind: 'webhook', name, url: 'https://example.invalid/hook' });
    const [wright, baker] = [await way('Millwright'), await way('Baker')];
    const course = (afterMinutes, to, everyMinutes = null) => ({ afterMinutes, to, everyMinutes });
    const { version } = await fetch('/api/v1/routes').then((answer) => answer.json());
    const routes = {
      critical: {
        courses: [course(0, ['handset'], 2), course(10, [wright.id]), course(20, [baker.id], 15)],
        quiet: 'tell',
        allClear: 'always',
      },
      warning: { courses: [course(0, ['handset'], 15), course(30, [wright.id])], quiet: 'tell', allClear: 'by day' },
      advisory: { courses: [course(0, ['handset'])], quiet: 'keep', allClear: 'never' },
    };
    await send('PUT', '/api/v1/routes', {
      from: version,
      plan: { quiet: { from: 1320, to: 390 }, routes, allWell: { minute: 420, to: ['handset'] } },
    });
  });
  await page.goto(`${stack.address}/respond/routes`);
  await shows(page, 'Unacknowledged it goes to Millwright');
  await page.$eval('#r-if', (head) => head.scrollIntoView());
  await shot('respond-routes');
  await page.goto(`${stack.address}/watch/computed`);
  await shows(page, 'points made of others');
  await page.waitForFunction(() => [...document.querySelectorAll('.shows')].filter((one) => /\d/.test(one.textContent)).length >= 3, {
    timeout: 60_000,
  });
  await shot('watch-computed');
  await page.goto(`${stack.address}/calibrate/side-by-side`);
  await press(page, '24 h');
  for (const node of ['loft-cable-1', 'loft-cable-2', 'loft-cable-3']) await search(page, '#s-point', node, node);
  await shows(page, 'puts it right');
  await pause(1500);
  await shot('calibrate-side-by-side');
  await page.evaluate(() => localStorage.setItem('dewpost.theme', 'dark'));
  await page.goto(`${stack.address}/watch/points/prove-climate/humidity`);
  await shows(page, 'Why it shows this');
  await shows(page, 'highest');
  await pause(2500);
  await shot('watch-point');
  await page.evaluate(() => localStorage.setItem('dewpost.theme', 'light'));
  // The file of a logger, as somebody would bring it: made up, with what goes wrong in such files.
  await page.evaluate(async () => {
    const two = (n) => String(n).padStart(2, '0');
    const figure = (value) => value.toFixed(1).replace('.', ',');
    const lines = Array.from({ length: 9000 }, (_, i) => {
      const at = new Date(Date.UTC(2025, 11, 1) + i * 600_000);
      const time = `${two(at.getUTCDate())}.${two(at.getUTCMonth() + 1)}.${at.getUTCFullYear()} ${two(at.getUTCHours())}:${two(at.getUTCMinutes())}`;
      const humidity = i % 900 === 7 ? '255' : i % 700 === 3 ? '--' : 60 + (i % 30);
      return i === 4100 ? `${time};7,3` : `${time};${figure(9 + 6 * Math.sin(i / 23) - i / 2000)};${humidity};1013,2;12,6`;
    });
    await fetch('/api/v1/imports?name=loft-logger-2025.csv&keep=false&map=Temp:loft-climate/temperature,Hum:loft-climate/humidity', {
      method: 'POST',
      headers: { 'content-type': 'text/csv' },
      body: ['Time;Temp;Hum;Press;Batt', ...lines].join('\r\n'),
    });
  });
  await page.goto(`${stack.address}/watch/import`);
  await press(page, 'loft-logger-2025.csv');
  await shows(page, 'Which clock did it keep');
  await shows(page, 'read, not kept');
  await shot('watch-import');
  await page.setViewport({ width: 390, height: 844 });
  await page.goto(`${stack.address}/watch/proving-room`);
  await shows(page, 'What happened');
  await pause(2500);
  await shot('watch-phone');
  await page.setViewport({ width: 1280, height: 800 });
  await page.goto(`${stack.address}/calibrate`);
  await page.waitForSelector('#c-point');
  await search(page, '#c-point', 'prove-climate humidity', 'Humidity');
  await shows(page, 'raw, mean of the last');
  await pause(2500);
  await shot('calibrate');
  await page.goto(`${stack.address}/reaching`);
  await shows(page, 'Three ways in from outside');
  await shot('reaching');
  await page.goto(`${stack.address}/provision/sources`);
  await shows(page, 'It needs no bench and no fit');
  await fill(page, '#s-name', 'Yard weather');
  await fill(page, '#s-room', 'Yard');
  await press(page, 'Make the source');
  await shows(page, 'Its key');
  const key = await page.$eval('code', (code) => code.textContent);
  const hears = (body) =>
    fetch(`${stack.address}/node/v1/up`, { method: 'POST', headers: { authorization: `Bearer ${key}` }, body: new URLSearchParams(body) });
  await hears({ wind: '3.2', rain: '0.4' });
  await shows(page, 'wind came and is not known yet');
  await press(page, 'Add wind');
  await fill(page, '#s-label', 'Wind');
  await fill(page, '#s-unit', 'm/s');
  await press(page, 'Add the point');
  await page.waitForSelector('pre');
  await hears({ wind: '3.4', rain: '0.4' });
  await shows(page, '3.4 m/s');
  await shot('provision-sources');
  for (const fault of faults) console.log(`fault: ${fault}`);
} finally {
  await close();
  await stack.stop();
  await stack.database.destroy();
}
