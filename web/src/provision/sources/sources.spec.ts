import { plan, provision, sources } from '@dewpost/contract';
import { ApiError } from '../../data/api';
import { aNode, aPoint, NOON, Rig } from '../../testing/rig';
import { Sources } from './sources';

const SOURCE = aNode({ id: 'yard-weather', kind: 'source', room: 'Yard', sheet: 'Source', keySealed: true });
const WIND = aPoint({ id: 7, node: 'yard-weather', name: 'wind', label: 'Wind', unit: 'm/s', min: 0, max: 30 });
const open = (
  state: Parameters<typeof Rig.open>[1]['snapshot'],
  answers: Parameters<typeof Rig.open>[1]['answers'] = [],
  log: { text: string }[] = [],
) =>
  Rig.open(Sources, {
    snapshot: { nodes: [aNode(), SOURCE], points: [aPoint(), WIND], ...state },
    answers: [
      [sources.way, { host: '192.168.7.2', httpPort: 8480, mqttPort: 1883 }],
      [plan.nodeLog, log.map(({ text }) => ({ at: NOON, level: 'refused', text, times: 1 }))],
      ...answers!,
    ],
  });

describe('sources', () => {
  it('begin in two fields; the key is shown once, and stands in no line that is copied', async () => {
    const key = 'a-key-that-nobody-knows';
    const rig = await open({ nodes: [aNode()], points: [] }, [[sources.add, { id: 'yard-weather', key, points: [] }]]);
    await rig.press('Make the source');
    expect([rig.asked(sources.add), rig.text.includes('give it a name')]).toEqual([[], true]);
    await rig.fill('#s-name', 'Yard weather');
    await rig.fill('#s-room', 'Yard');
    await rig.press('Make the source');
    expect(rig.asked(sources.add)).toEqual([{ params: undefined, body: { name: 'Yard weather', room: 'Yard', points: [] } }]);
    await rig.arrive({ type: 'node', node: SOURCE, points: [WIND] });
    expect(rig.text).toContain(key);
    const lines = [...rig.element.querySelectorAll('pre')].map((line) => line.textContent ?? '');
    expect(lines).toHaveLength(4);
    expect(lines.some((line) => line.includes(key))).toBe(false);
    expect(lines[0]).toContain('-d wind=18 http://192.168.7.2:8480/node/v1/up');
  });
  it('ask about what came and is not known, and declare it with its unit; a refusal stands at its field', async () => {
    const refusal = new ApiError(422, 'no', [{ path: 'body.points.0.name', message: 'x' }]);
    const rig = await open({}, [[sources.addPoints, refusal]], [{ text: 'gust: unknown point: yard-weather has wind' }]);
    expect(rig.text).toContain('gust came and is not known yet.');
    await rig.press('Add gust');
    await rig.fill('#s-label', 'Gust');
    await rig.fill('#s-unit', 'm/s');
    await rig.press('Add the point');
    expect(rig.asked(sources.addPoints)).toEqual([
      { params: { id: 'yard-weather' }, body: { points: [{ name: 'gust', label: 'Gust', unit: 'm/s', min: 0, max: 100 }] } },
    ]);
    // Refused: what was typed stays.
    expect(rig.element.querySelector<HTMLInputElement>('#s-label')!.value).toBe('Gust');
    expect(rig.element.querySelector('[role=alert]')).not.toBeNull();
  });
  it('a key that got about is made worthless and another is shown', async () => {
    const rig = await open({}, [
      [provision.revokeKey, {}],
      [plan.revealKey, { key: 'another-key' }],
    ]);
    await rig.press('New key');
    expect([rig.asked(provision.revokeKey).length, rig.text.includes('another-key'), rig.text.includes('worthless from now on')]).toEqual([
      1,
      true,
      true,
    ]);
  });
  it('show a keeper what there is, and nothing to make or reveal', async () => {
    const rig = await open({ me: { name: 'baker', role: 'keeper' } });
    expect(rig.text).toContain('Wind');
    for (const name of ['New source', 'New key', 'Reveal its key', 'Add the point']) expect(() => rig.button(name)).toThrow();
  });
});
