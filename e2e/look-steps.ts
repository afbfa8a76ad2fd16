import { settled } from './browser';
import { noteBarriers, page, stack } from './walk';

const PAGES = [
  '/watch',
  '/respond',
  '/respond/relays',
  '/respond/routes',
  '/respond/counts',
  '/respond/thresholds',
  '/respond/notices',
  '/respond/ways',
  '/respond/trip-tests',
  '/respond/drills',
  '/provision',
  '/plan',
  '/plan/sheet/climate-post',
  '/plan/sums',
  '/plan/site',
  '/plan/survey',
  '/plan/addresses',
  '/plan/catalogue',
  '/plan/checks',
  '/plan/build/proving-1',
  '/provision/fit',
  '/provision/forward',
  '/provision/fit/proving-1',
  '/provision/rollouts',
  '/provision/firmware',
  '/provision/configurations',
  '/provision/labels',
  '/provision/ledger',
  '/provision/sources',
  '/calibrate',
  '/watch/points/proving-1/humidity',
  '/watch/quality',
  '/watch/import',
  '/watch/computed',
  '/calibrate/side-by-side',
  '/calibrate/references',
  '/calibrate/records',
  '/provision/listen',
  '/upkeep/site/kept',
  '/upkeep/proving-1',
];

const WIDE = { width: 1280, height: 800 };
const PHONE = { width: 390, height: 844 };

/** Every page on a phone and on a table, in the light and in the dark, as the last steps of the walk. */
export function itLooksRight(): void {
  it('fits a phone in one hand, and the dark theme, with nothing serious', async () => {
    for (const path of PAGES) {
      await page.setViewport(PHONE);
      await page.goto(stack.address + path);
      await page.waitForSelector('h1');
      await settled(page);
      const overflow = await page.evaluate(() => document.documentElement.scrollWidth - window.innerWidth);
      expect(`${path} ${overflow}`).toBe(`${path} 0`);
      // Its colours were looked at on a table as the walk went by.
      await noteBarriers(`${path} at 390 px`, page, 'not');
    }
    await page.evaluate(() => localStorage.setItem('dewpost.theme', 'dark'));
    // In the dark all that is another are the colours; every other page stands on a phone.
    for (const [i, path] of PAGES.entries()) {
      await page.setViewport(i % 2 === 0 ? WIDE : PHONE);
      await page.goto(stack.address + path);
      await page.waitForSelector('h1');
      await noteBarriers(`${path}, dark, ${i % 2 === 0 ? '1280' : '390'} px`, page, 'only');
    }
    await page.setViewport(WIDE);
  });
}
