import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { ElementHandle, Page } from 'puppeteer-core';
import { choose, fill, press, search, shows } from './browser';

/** What the walk has at hand when these steps are taken. */
export interface Hands {
  page(): Page;
  go(path: string, text: string): Promise<void>;
  mishap(body: object): Promise<void>;
  noteBarriers(where: string): Promise<void>;
  mqttPort(): number;
  /** What a step has opened that outlives it. */
  readonly afterwards: (() => Promise<void>)[];
}

export const postJson = <T>(page: Page, path: string, body: object): Promise<T> =>
  page.evaluate(
    (at, json) =>
      fetch(at, { method: 'POST', headers: { 'content-type': 'application/json' }, body: json }).then((answer) => answer.json()),
    path,
    JSON.stringify(body),
  ) as Promise<T>;

/** Calibrating, the record and what is taken into it, as steps of the walk. */
export function itKeepsTheRecord({ page: of, go, mishap, noteBarriers }: Hands): void {
  it('a probe that sends counts is calibrated on a phone beside its bed: percent, in all of its record', async () => {
    const page = of();
    await mishap({ what: 'port', port: 1, kind: 'none' });
    const draft = {
      ...{ board: 'wifi-dual-38', supply: 'usb', reportSeconds: 1, eventsPerDay: 0, outdoors: false, cableMetres: 0.5 },
      ...{ fixed: {}, dividers: {}, parts: [{ ref: 'bed', part: 'soil-analog' }] },
    };
    await postJson(page, '/api/v1/build-sheets', { name: 'Probe post', draft, base: null });
    await postJson(page, '/api/v1/nodes', { id: 'probe-1', room: 'Fern house', buildSheet: 'probe-post' });
    await go('/provision', 'probe-1');
    await page.locator('input[aria-label="Write probe-1"]').click();
    await press(page, 'Write these 1');
    await page.waitForSelector('.bench-row[aria-label="probe-1, proved"]');
    const counts = (value: number): Promise<void> => mishap({ what: 'act', node: 'probe-1', point: 'soil-moisture', value });
    await counts(2700);
    await go('/watch/points/probe-1/soil-moisture', 'by nothing yet');
    await noteBarriers('a point');
    await page.setViewport({ width: 390, height: 844, hasTouch: true });
    await go('/calibrate', 'Not calibrated yet');
    await page.locator('.as-line ::-p-text(Soil moisture, probe-1)').click();
    const capture = async (shown: string, reference: string): Promise<void> => {
      await shows(page, shown);
      await fill(page, '#c-reference', reference);
      await shows(page, 'settled: spread 0 counts');
      await press(page, 'Capture');
    };
    await capture('2 700 counts', '6');
    await counts(1010);
    await capture('1 010 counts', '42');
    await shows(page, 'Keep it');
    await noteBarriers('calibrating at 390 px');
    await press(page, 'Keep it');
    await shows(page, 'Kept as version 1');
    await page.setViewport({ width: 1280, height: 800 });
    await go('/watch/points/probe-1/soil-moisture', 'version 1: raw ×');
    await shows(page, /shows\s+42 %/);
    const history = (await page.evaluate(() =>
      fetch('/api/v1/points/probe-1/soil-moisture/readings?level=raw&max=20000').then((answer) => answer.json()),
    )) as { readings: number[][]; raw: number[][] };
    const at = history.raw.findIndex(([raw]) => raw === 2700);
    expect(history.readings[at]?.[1]).toBeCloseTo(6, 6);
  });

  it('a file of a logger, with decimal commas, is looked through, kept, seen in the record, and taken away whole', async () => {
    const page = of();
    const directory = mkdtempSync(join(tmpdir(), 'dewpost-e2e-'));
    const file = join(directory, 'attic-logger.csv');
    const two = (n: number): string => String(n).padStart(2, '0');
    const lines = Array.from({ length: 300 }, (_, i) => {
      const day = new Date(Date.UTC(2026, 5, 20 + Math.floor(i / 24), i % 24));
      return `${two(day.getUTCDate())}.${two(day.getUTCMonth() + 1)}.2026 ${two(day.getUTCHours())}:00;${i === 200 ? '41,5' : i === 7 ? '--' : '17,2'}`;
    });
    writeFileSync(file, ['Time;Temp', ...lines].join('\r\n'));
    try {
      await go('/watch/import', 'Files taken in');
      await noteBarriers('imports');
      const field = (await page.$('dp-file-button input')) as ElementHandle<HTMLInputElement> | null;
      await field?.uploadFile(file);
      await shows(page, 'Say which clock the file kept');
      await shows(page, /300 lines|299 with a comma/);
      await search(page, '#i-column-1', 'temperature proving-1', 'proving-1');
      await shows(page, '17.2 to 41.5');
      // While the file is gone through anew nothing can be chosen. The page may still grow above the box: it is pressed wherever it has come to lie.
      await page.waitForSelector('mat-radio-button input:enabled');
      await page.$$eval('mat-radio-button', (all) => {
        const asUtc = all.find(({ textContent }) => textContent.includes('UTC as'));
        asUtc?.querySelector('input')?.click();
      });
      await page.waitForFunction(() => !document.body.innerText.includes('Say which clock the file kept: '), { polling: 100 });
      await noteBarriers('an import');
      await press(page, 'Keep');
      await shows(page, 'What is kept');
      await go('/watch/points/proving-1/temperature', 'Why it shows this');
      await press(page, '1 y');
      await shows(page, /highest\s+41\.5/);
      await go('/watch/quality', 'Quality');
      await shows(page, /points?: \d/);
      await noteBarriers('quality');
      await go('/watch/import', 'attic-logger.csv');
      await press(page, 'Remove attic-logger.csv');
      await press(page, 'Remove');
      await shows(page, 'None yet');
      await go('/watch/points/proving-1/temperature', 'Why it shows this');
      await press(page, '1 y');
      await page.waitForFunction(() => /highest/.test(document.body.innerText) && !/highest\s+41\.5/.test(document.body.innerText), {
        polling: 200,
      });
    } finally {
      rmSync(directory, { recursive: true });
    }
  });

  it('a point is computed from two others, shows what it comes to, and says how', async () => {
    const page = of();
    await go('/watch/computed', 'Nothing is computed yet');
    await press(page, 'Compute a point');
    await choose(page, '#c-formula', 'Absolute humidity');
    await search(page, '#c-input-0', 'temperature proving-1', 'proving-1');
    await search(page, '#c-input-1', 'humidity proving-1', 'proving-1');
    await noteBarriers('computing a point');
    await press(page, 'Compute it');
    await shows(page, 'It is computed now');
    await shows(page, /\d\.\d\s*g\/m³/);
    await page.locator('.computed a').click();
    await shows(page, 'How it is computed');
    await shows(page, /Absolute humidity: .*proving-1 and .*proving-1/);
    await shows(page, /highest\s+\d/);
  });

  it('two sensors that lay side by side for an hour are compared on a phone, and the one that is off is put right', async () => {
    const page = of();
    const now = Math.floor(Date.now() / 1000);
    for (const [name, off] of [
      ['Shelf one', 0],
      ['Shelf two', 1.5],
    ] as const) {
      const points = [{ name: 'temperature', label: 'Shelf temperature', unit: '°C', min: 0, max: 40 }];
      const { key } = await postJson<{ key: string }>(page, '/api/v1/sources', { name, room: name, points });
      const pack = Array.from({ length: 56 }, (_, i) => ({
        n: 'temperature',
        t: now - (56 - i) * 60,
        v: 18 + off + (((i * 7) % 11) - 5) / 20,
      }));
      const heard = await fetch(`${new URL(page.url()).origin}/node/v1/up`, {
        method: 'POST',
        headers: { 'content-type': 'application/json', authorization: `Bearer ${key}` },
        body: JSON.stringify(pack),
      });
      expect(heard.status).toBe(200);
    }
    await page.setViewport({ width: 390, height: 844, hasTouch: true });
    await go('/calibrate/side-by-side', 'Choose two points at least');
    await search(page, '#s-point', 'shelf-one', 'Shelf one');
    await search(page, '#s-point', 'shelf-two', 'Shelf two');
    await choose(page, '#s-reference', 'Shelf one, trusted');
    await shows(page, /\+ 1\.5\d?\s*°C/);
    await shows(page, 'is off');
    await noteBarriers('side by side at 390 px');
    await press(page, 'Keep for 1 point');
    await shows(page, 'Kept from now on for Shelf temperature, Shelf two');
    await page.setViewport({ width: 1280, height: 800 });
    const kept = (await page.evaluate(() =>
      fetch('/api/v1/points/shelf-two/temperature/calibrations').then((answer) => answer.json()),
    )) as { method: string; coefficients: { gain: number; offset: number }; note: string }[];
    expect(kept).toHaveLength(1);
    expect(kept[0]!.coefficients.gain * 19.5 + kept[0]!.coefficients.offset).toBeCloseTo(18, 0);
    expect(kept[0]!.note).toMatch(/side by side with Shelf temperature, Shelf one, 1 h/);
  });

  it('a board is listened to: its start, its joining and what it sends are read, and the port is given back', async () => {
    const page = of();
    await go('/provision/listen', 'Where to listen');
    await press(page, 'Port 1 of the stand-ins');
    await press(page, 'Restart the board');
    await shows(page, 'chip’s own start text, 4 lines');
    await shows(page, 'It has reached the broker');
    await shows(page, 'sends readings');
    await fill(page, '#listen-words', 'publ');
    await shows(page, /\d+ of \d+ lines/);
    await noteBarriers('listening');
    await press(page, 'Let the port go');
    await shows(page, 'Where to listen');
  });
}
