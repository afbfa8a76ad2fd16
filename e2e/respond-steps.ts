import { press, settled, shows } from './browser';
import { postJson, type Hands } from './record-steps';

/** Rules and alerts, as steps of the walk. */
export function itResponds({ page: of, go, noteBarriers }: Hands): void {
  it('a limit is dragged over its point’s own record and armed as another version; keys move it as well', async () => {
    const page = of();
    const rule = { side: 'high', deadband: 2, onDelaySeconds: 0, offDelaySeconds: 0, severity: 'advisory', output: null };
    const { points } = (await page.evaluate(() => fetch('/api/v1/snapshot').then((answer) => answer.json()))) as {
      points: { id: number; node: string; name: string }[];
    };
    const point = points.find(({ node, name }) => node === 'proving-1' && name === 'temperature')!;
    const made = await postJson<{ id: number }>(page, '/api/v1/thresholds', { ...rule, point: point.id, setpoint: 60 });
    await go('/respond/thresholds', 'New threshold');
    await page.waitForFunction(
      () => {
        const all = [...document.querySelectorAll<HTMLButtonElement>('button')];
        const change = all.find(({ textContent }) => /Change.* 60.* of proving-1/.test(textContent.replace(/\s+/g, ' ')));
        change?.click();
        return change !== undefined;
      },
      { timeout: 20_000, polling: 300 },
    );
    await page.waitForSelector('dp-limit-handle [role=slider]', { timeout: 20_000 });
    const handle = (await page.$('[role=slider][aria-label="Setpoint"]'))!;
    await handle.scrollIntoView();
    const { x, y, width, height } = (await handle.boundingBox())!;
    const [left, top] = [x + width / 2, y + height / 2];
    await page.mouse.move(left, top);
    await page.mouse.down();
    await page.mouse.move(left, top + 20, { steps: 4 });
    await page.mouse.move(left, top + 50, { steps: 4 });
    await page.mouse.up();
    await settled(page);
    const dragged = await handle.evaluate((one) => Number(one.getAttribute('aria-valuenow')));
    expect(dragged).toBeLessThan(59);
    await handle.focus();
    await page.keyboard.press('ArrowUp');
    await page.waitForFunction(
      (one, wanted) => Math.abs(Number(one.getAttribute('aria-valuenow')) - wanted) < 1e-6,
      {},
      handle,
      dragged + 0.1,
    );
    await noteBarriers('a limit on its record');
    await press(page, 'Arm version 2');
    await page.waitForFunction(() => document.querySelector('dp-threshold-dialog') === null);
    const rules = (await page.evaluate(() => fetch('/api/v1/thresholds').then((answer) => answer.json()))) as {
      id: number;
      version: number;
      setpoint: number;
    }[];
    const kept = rules.find(({ id }) => id === made.id)!;
    expect([kept.version, kept.setpoint]).toEqual([2, expect.closeTo(dragged + 0.1, 6)]);
    await page.evaluate((id) => fetch(`/api/v1/thresholds/${id}`, { method: 'DELETE' }), made.id);
  }, 90_000);

  it('alerts are counted, against what is published, with who they came from', async () => {
    const page = of();
    await go('/respond/counts', 'Counts');
    await shows(page, /\d+ alerts? in/);
    await shows(page, 'Who they came from');
    await noteBarriers('counts');
  }, 60_000);
}
