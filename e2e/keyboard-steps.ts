import { settled, shows } from './browser';
import { atFocus, tabRound, tabTo } from './keyboard';
import { page, stack } from './walk';

const PAGES = [
  '/plan',
  '/plan/sheet/climate-post',
  '/plan/site',
  '/plan/addresses',
  '/provision',
  '/provision/fit',
  '/calibrate',
  '/calibrate/references',
  '/watch',
  '/watch/points/proving-1/humidity',
  '/respond',
  '/respond/thresholds',
  '/respond/routes',
  '/upkeep',
];
const STAGES = ['Plan', 'Provision', 'Calibrate', 'Watch', 'Respond', 'Upkeep'];

/** The house without a mouse. */
export function itGoesByKeyboard(): void {
  it('from one stage to the next by Tab and Enter', async () => {
    await page.goto(`${stack.address}/watch`);
    await shows(page, 'What happened');
    for (const stage of STAGES) {
      await tabTo(page, stage);
      await page.keyboard.press('Enter');
      await page.waitForFunction((wanted: string) => location.pathname.startsWith(`/${wanted.toLowerCase()}`), {}, stage);
      await page.waitForSelector('h1');
    }
  });

  it.each(PAGES)('%s: Tab comes to every control, each says what it is and shows that it has the focus', async (path) => {
    await page.goto(stack.address + path);
    await page.waitForSelector('h1');
    await page.waitForFunction(() => document.querySelector('.waiting') === null, { polling: 100 });
    await settled(page);
    const { stops, missed, cameRound } = await tabRound(page);
    expect({ cameRound, missed, faults: stops.filter(({ faults }) => faults.length > 0) }).toEqual({
      cameRound: true,
      missed: [],
      faults: [],
    });
    expect(stops.length).toBeGreaterThan(STAGES.length);
  });

  it('a rule is begun and left by keyboard: its dialog begins in a field, keeps the focus, and gives it back', async () => {
    await page.goto(`${stack.address}/respond/thresholds`);
    await page.waitForSelector('h1');
    await tabTo(page, 'New threshold');
    await page.keyboard.press('Enter');
    await page.waitForSelector('mat-dialog-container');
    await settled(page);
    const inside = (): Promise<boolean> => page.evaluate(() => document.activeElement?.closest('mat-dialog-container') !== null);
    expect(await page.evaluate(() => document.activeElement?.tagName)).toMatch(/INPUT|MAT-SELECT/);
    for (let presses = 0; presses < 40; presses++) {
      await page.keyboard.press('Tab');
      expect(await inside()).toBe(true);
    }
    await page.keyboard.press('Escape');
    await page.waitForFunction(() => document.querySelector('mat-dialog-container') === null, { polling: 100 });
    expect(await atFocus(page)).toMatch(/^New threshold/);
  });
}
