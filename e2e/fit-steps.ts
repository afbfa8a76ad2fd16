import { press, shows } from './browser';
import { speakAs } from './fake-node';
import { postJson, type Hands } from './record-steps';

const NODES = ['row-1', 'row-2', 'row-3', 'row-4', 'row-5'];
/** What five like nodes may ask of a person at most, from written to armed. */
const MOST_TAPS = 15;
const MOST_FIGURES = 2;

/** Nodes that hang in their places, as steps of the walk: five are fitted in one round, on a phone. */
export function itFitsARound({ page: of, go, noteBarriers, mqttPort, afterwards }: Hands): void {
  it('five like nodes are fitted in one round on a phone, with few taps and two figures', async () => {
    const page = of();
    const draft = {
      ...{ board: 'wifi-dual-38', supply: 'usb', reportSeconds: 1, eventsPerDay: 0, outdoors: false, cableMetres: 0.5 },
      ...{ fixed: {}, dividers: {}, parts: [{ ref: 'air', part: 'climate-i2c' }] },
    };
    await postJson(page, '/api/v1/build-sheets', { name: 'Row post', draft, base: null });
    for (const id of NODES) {
      const { key } = await postJson<{ key: string }>(page, '/api/v1/nodes', { id, room: 'Fern house', buildSheet: 'row-post' });
      const values = (): object => [
        { n: 'temperature', v: 19 + Math.random() / 10 },
        { n: 'humidity', v: 61 + Math.random() / 10 },
      ];
      const node = await speakAs({ id, key, port: mqttPort() }, values);
      afterwards.push(() => node.end());
      await node.say('up', values());
    }
    await page.setViewport({ width: 390, height: 844, hasTouch: true });
    await go('/provision/fit', 'to fit');
    let [taps, figures] = [0, 0];
    const tap = (name: string): Promise<void> => {
      taps++;
      return press(page, name);
    };
    for (const id of NODES) await tap(`Take ${id} into the round`);
    await tap('Begin a round of 5');
    await shows(page, '0 armed');
    await tap('Take the signal of all 5');
    for (const [label, figure] of [
      ['Air temperature', '19.1'],
      ['Humidity', '61'],
    ] as const) {
      figures++;
      await page.locator(`::-p-aria(${label} by hand)`).fill(figure);
      await tap(`Compare all 5 ${label}`);
      // What was compared goes from the page, and what stands below it moves up.
      await page.waitForFunction(
        (done: string) => ![...document.querySelectorAll('.one-hand')].some(({ textContent }) => textContent.includes(done)),
        { polling: 100 },
        label,
      );
    }
    await shows(page, '5 armed');
    expect([taps <= MOST_TAPS, figures <= MOST_FIGURES]).toEqual([true, true]);
    await noteBarriers('a round at 390 px');
    await page.setViewport({ width: 1280, height: 800 });
  });
}
