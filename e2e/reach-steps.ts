import type { Page } from 'puppeteer-core';
import { fill, press, shows } from './browser';
import { postJson, type Hands } from './record-steps';

interface PointHere {
  readonly id: number;
  readonly node: string;
  readonly name: string;
}
const get = <T>(page: Page, path: string): Promise<T> =>
  page.evaluate((at) => fetch(at).then((answer) => answer.json()), path) as Promise<T>;
const pointOf = async (page: Page, node: string, name: string): Promise<number> => {
  const { points } = await get<{ points: PointHere[] }>(page, '/api/v1/snapshot');
  return points.find((point) => point.node === node && point.name === name)!.id;
};
const remove = (page: Page, path: string): Promise<unknown> =>
  page.evaluate((at) => fetch(at, { method: 'DELETE' }).then(() => null), path);
/** Trips at once, whatever the room is like. */
const ALWAYS = { side: 'high', setpoint: 0, deadband: 1, onDelaySeconds: 0, offDelaySeconds: 0, severity: 'advisory' };

/** Messages that reach somebody, and what is switched without one, as steps of the walk. */
export function itReaches({ page: of, go, noteBarriers }: Hands): void {
  it('a phone is subscribed and tried: what the house sends is read there, and an open page shows its own', async () => {
    const page = of();
    await go('/respond/ways', 'Another one');
    await page.locator('mat-button-toggle[value=push] button').click();
    await fill(page, '#w-push-name', 'Phone of the mill');
    await press(page, 'Subscribe the stand-in’s');
    await shows(page, 'Phone of the mill is added');
    await press(page, 'Test Phone of the mill');
    await shows(page, 'Phone of the mill: delivered to');
    await noteBarriers('ways');
    const received = await get<{ by: string; title: string }[]>(page, '/standins/received');
    expect(received[0]).toMatchObject({ by: 'push', title: 'A test, nothing is wrong' });
    const { name } = await get<{ name: string }>(page, '/api/v1/session');
    const way = await postJson<{ id: number }>(page, '/api/v1/ways', { kind: 'page', name: 'Whoever sits here', account: name });
    const tried = await postJson<{ delivered: boolean }>(page, `/api/v1/ways/${way.id}/test`, {});
    expect(tried.delivered).toBe(true);
    await shows(page, `${name} tried this way`, 'mat-snack-bar-container');
    for (const { id } of await get<{ id: number }[]>(page, '/api/v1/ways')) await remove(page, `/api/v1/ways/${id}`);
  });

  it('whom a message does not reach is passed over: the next course hears of it', async () => {
    const page = of();
    const { nodePages } = await get<{ status: { nodePages: string } }>(page, '/api/v1/snapshot').then(({ status }) => status);
    const hook = new URL('/hook', nodePages).href;
    const first = await postJson<{ id: number }>(page, '/api/v1/ways', { kind: 'webhook', name: 'Out of reach', url: 'http://10.1.2.3/x' });
    const second = await postJson<{ id: number }>(page, '/api/v1/ways', { kind: 'webhook', name: 'Night desk', url: hook });
    const { version, plan } = await get<{ version: number; plan: { routes: object } }>(page, '/api/v1/routes');
    const courses = [
      { afterMinutes: 0, to: [first.id], everyMinutes: null },
      { afterMinutes: 60, to: [second.id], everyMinutes: null },
    ];
    const put = (from: number, laid: object): Promise<unknown> =>
      page.evaluate(
        (body) => fetch('/api/v1/routes', { method: 'PUT', headers: { 'content-type': 'application/json' }, body }).then(() => null),
        JSON.stringify({ from, plan: laid }),
      );
    // What other steps have tripped may be a flood by now: each is told by itself.
    await put(version, { ...plan, flood: 'each', routes: { ...plan.routes, advisory: { courses, quiet: 'tell', allClear: 'never' } } });
    const point = await pointOf(page, 'proving-1', 'temperature');
    const rule = await postJson<{ id: number }>(page, '/api/v1/thresholds', {
      ...{ ...ALWAYS, point, output: null, words: { alert: 'Reads {value} {unit}, there {proving-2/temperature}.' } },
    });
    await page.waitForFunction(
      async () => {
        const all = (await fetch('/standins/received').then((answer) => answer.json())) as { by: string; text: string }[];
        return all.some(({ by, text }) => by === 'webhook' && /^Reads \d+\.\d+ °C, there \d+\.\d+ °C\./.test(text));
      },
      { polling: 300 },
    );
    await go('/respond/ways', 'Night desk');
    await shows(page, /did not arrive.*inside the building/);
    await remove(page, `/api/v1/thresholds/${rule.id}`);
    await put(version + 1, plan);
    for (const { id } of await get<{ id: number }[]>(page, '/api/v1/ways')) await remove(page, `/api/v1/ways/${id}`);
  });

  it('an output runs by control with no alert and no message, and stays off once its day is spent', async () => {
    const page = of();
    const [output, point] = [await pointOf(page, 'proving-2', 'humidifier'), await pointOf(page, 'proving-2', 'temperature')];
    // Of this rule: that another is over may well be told meanwhile.
    const said = async (): Promise<string[]> =>
      (await get<{ id: string; message: { title: string; text: string } }[]>(page, '/api/v1/deliveries'))
        .filter(({ message: { title, text } }) => title.startsWith('Temperature') && text.includes('proving-2'))
        .map(({ id }) => id);
    const before = await said();
    const rule = await postJson<{ id: number }>(page, '/api/v1/thresholds', { ...ALWAYS, point, output, consequences: ['control'] });
    const reads = (on: boolean): Promise<unknown> =>
      page.waitForFunction(
        async (id, state) => {
          const all = (await fetch('/api/v1/relays').then((answer) => answer.json())) as { point: number; state: boolean | null }[];
          return all.find((one) => one.point === id)?.state === state;
        },
        { polling: 300 },
        output,
        on,
      );
    await reads(true);
    const alerts = await get<{ threshold: number | null }[]>(page, '/api/v1/alerts');
    expect([alerts.filter(({ threshold }) => threshold === rule.id), await said()]).toEqual([[], before]);
    await go('/respond/relays', 'Relays');
    await page.evaluate(async (id) => {
      await fetch(`/api/v1/relays/${id}/limits`, {
        method: 'PUT',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify({ from: 0, seconds: 2 }),
      });
    }, output);
    await reads(false);
    await shows(page, 'stays off: its 2 s of the day are spent');
    await noteBarriers('relays with limits');
    await remove(page, `/api/v1/thresholds/${rule.id}`);
    await page.evaluate(async (id) => {
      await fetch(`/api/v1/relays/${id}/limits`, {
        method: 'PUT',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify({ from: 1 }),
      });
    }, output);
  });
}
