import { columnsOf, engineRule, madeOfKnots, madeUp, rehearse, SHAPES, type Shape } from '.';

const MIN = 60_000;
const made = (shape: Shape) => madeUp({ shape, base: 20, to: 30, from: 0, until: 400 * MIN, everyMs: MIN });
const values = (shape: Shape): number[] => made(shape).map(({ value }) => value);

it('goes from where it is to the value that is named, each in its way, and is the same each time', () => {
  expect([values('step')[99], values('step')[100], values('step')[299], values('step')[300]]).toEqual([20, 30, 30, 20]);
  expect([values('ramp')[100], values('ramp')[200], values('ramp')[400]]).toEqual([20, 25, 30]);
  expect(values('spike').filter((value) => value === 30)).toHaveLength(1);
  const noise = values('noise').slice(100, 300);
  expect([Math.min(...noise) >= 20, Math.max(...noise) <= 30, new Set(noise).size > 150]).toEqual([true, true, true]);
  expect(values('noise')).toEqual(values('noise'));
  expect(
    made('silence')
      .map(({ at }) => at)
      .filter((at) => at >= 100 * MIN && at < 300 * MIN),
  ).toEqual([]);
  for (const shape of SHAPES) expect(made(shape).every(({ at }, i, all) => i === 0 || at > all[i - 1]!.at)).toBe(true);
});

it('a rule is tried on it as on a record: a delay outlasts a spike, and a silence is heard', () => {
  const rule = (over: object, seconds = 60) =>
    engineRule(
      { side: 'high', setpoint: 25, deadband: 1, clearLevel: 24, onDelaySeconds: seconds, offDelaySeconds: 0, ...over },
      { confirm: 'readings', reportSeconds: 60 },
      'UTC',
    );
  const trips = (shape: Shape, over: object, seconds?: number): number =>
    rehearse(rule(over, seconds), columnsOf(made(shape)), 400 * MIN).length;
  expect([trips('spike', {}, 120), trips('spike', {}, 0), trips('step', {}, 120)]).toEqual([0, 1, 1]);
  const silent = { judges: { kind: 'silence' as const }, setpoint: 600, deadband: 0, clearLevel: 600 };
  expect([trips('silence', silent, 0), trips('step', silent, 0)]).toEqual([1, 0]);
});

it('a course drawn by hand goes straight from knot to knot, and level beyond them', () => {
  const span = { from: 1000, until: 1000 + 60 * MIN, everyMs: 10 * MIN };
  const drawn = madeOfKnots(
    [
      { after: 40 * MIN, value: 10 },
      { after: 10 * MIN, value: 40 },
    ],
    span,
  );
  expect(drawn.map(({ value }) => value)).toEqual([40, 40, 30, 20, 10, 10, 10]);
  expect(drawn.map(({ at }) => at)).toEqual([0, 10, 20, 30, 40, 50, 60].map((minute) => 1000 + minute * MIN));
  // Two knots at one time: a step.
  const step = madeOfKnots(
    [
      { after: 20 * MIN, value: 1 },
      { after: 20 * MIN, value: 9 },
    ],
    span,
  );
  expect(step.map(({ value }) => value)).toEqual([1, 1, 1, 9, 9, 9, 9]);
});
