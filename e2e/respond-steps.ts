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
      { polling: 300 },
    );
    await page.waitForSelector('dp-limit-handle [role=slider]');
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
  });

  it('alerts are counted, against what is published, with who they came from', async () => {
    const page = of();
    await go('/respond/counts', 'Counts');
    await shows(page, /\d+ alerts? in/);
    await shows(page, 'Who they came from');
    await noteBarriers('counts');
  });

  it('a trip test goes from reading to contact, and puts everything back though its page was closed', async () => {
    const page = of();
    await go('/respond/trip-tests', 'Trip tests');
    // A rule that would never trip by itself, switching an output that is at rest.
    const rule = await page.evaluate(async () => {
      const { points, relays } = (await fetch('/api/v1/snapshot').then((answer) => answer.json())) as {
        points: { id: number; node: string; name: string }[];
        relays: { point: number; state: boolean | null }[];
      };
      const idOf = (name: string): number | undefined => points.find((point) => point.node === 'proving-2' && point.name === name)?.id;
      const output = idOf('humidifier');
      const body = { side: 'high', setpoint: 70, deadband: 1, onDelaySeconds: 600, offDelaySeconds: 0, severity: 'advisory' };
      const made = (await fetch('/api/v1/thresholds', {
        method: 'POST',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify({ ...body, point: idOf('temperature'), output }),
      }).then((answer) => answer.json())) as { id: number; version: number };
      return { ...made, output, was: relays.find(({ point }) => point === output)?.state };
    });
    expect(rule.was).not.toBe(true);
    await go('/respond/trip-tests', 'Air temperature ≥ 70.0 °C');
    await press(page, 'advisory Air temperature ≥ 70.0 °C proving-2 never proved');
    await shows(page, 'Humidifier goes on and off again');
    await noteBarriers('trip tests');
    await page.locator('mat-checkbox input').click();
    await press(page, 'Run the test');
    await shows(page, /Waits for the next reading|Tripped|Puts everything back|Passed/);
    // Nobody looks on: it ends by itself.
    await go('/watch', 'What happened');
    await page.waitForFunction(
      async (id) => {
        const { running, before } = (await fetch('/api/v1/trip-tests').then((answer) => answer.json())) as {
          running: object | null;
          before: { threshold: number; passed: boolean }[];
        };
        return running === null && before.some(({ threshold, passed }) => threshold === id && passed);
      },
      { polling: 500 },
      rule.id,
    );
    const after = await page.evaluate(async () => ({
      rules: (await fetch('/api/v1/thresholds').then((answer) => answer.json())) as {
        id: number;
        version: number;
        phase: string;
        setpoint: number;
      }[],
      relays: (await fetch('/api/v1/relays').then((answer) => answer.json())) as {
        point: number;
        state: boolean | null;
        askedBy: string | null;
      }[],
    }));
    expect(after.rules.find(({ id }) => id === rule.id)).toMatchObject({ version: rule.version, phase: 'normal', setpoint: 70 });
    expect(after.relays.find(({ point }) => point === rule.output)).toMatchObject({ state: false, askedBy: null });
    await go('/respond/trip-tests', 'Air temperature ≥ 70.0 °C');
    await page.evaluate(() =>
      [...document.querySelectorAll<HTMLElement>('.rule')].find((each) => each.innerText.includes('≥ 70'))?.click(),
    );
    await shows(page, 'Passed');
    await page.evaluate((id) => fetch(`/api/v1/thresholds/${id}`, { method: 'DELETE' }), rule.id);
  });
}
