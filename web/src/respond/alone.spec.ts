import { aPoint, aThreshold } from '../testing/rig';
import { followsAlone } from './alone';

const sensor = aPoint();
const output = aPoint({ id: 2, kind: 'switched' });

it('a node follows a value of its own alone, and nothing that it could not judge', () => {
  expect(followsAlone(aThreshold(), sensor, output)).toBe(true);
  expect(followsAlone(aThreshold(), sensor, { ...output, node: 'elsewhere' })).toBe(false);
  expect(followsAlone(aThreshold(), aPoint({ kind: 'derived' }), output)).toBe(false);
  expect([followsAlone(aThreshold(), null, output), followsAlone(aThreshold(), sensor, null)]).toEqual([false, false]);
  for (const change of [
    { act: 'off' as const },
    { unless: 3 },
    { hours: { weekdays: [1], from: 0, to: 60 } },
    { judges: { kind: 'rate' as const, overSeconds: 60 } },
    { also: { join: 'and' as const, point: 9, side: 'high' as const, setpoint: 1 } },
    { then: [{ output: 4, afterSeconds: 30 }] },
    { proportional: { band: 4, cycleSeconds: 600 } },
  ])
    expect([change, followsAlone(aThreshold(change), sensor, output)]).toEqual([change, false]);
});
