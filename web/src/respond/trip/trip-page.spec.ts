import { tripTests, type Provable, type Threshold, type TripTest } from '@dewpost/contract';
import { LEG_LIMIT_MS, type Leg } from '@dewpost/core/proof';
import { aNode, aPoint, aThreshold, NOON, Rig } from '../../testing/rig';
import { forcedWords, howForced, phaseWords, proofWords, seconds } from './trip-words';
import { TripPage } from './trip-page';

const DAY = 86_400_000;
const leg = (name: Leg, ms: number | null): TripTest['legs'][number] => ({
  ...{ leg: name, ms, limitMs: LEG_LIMIT_MS[name], passed: ms !== null && ms <= LEG_LIMIT_MS[name] },
  detail: ms === null ? 'nothing arrived: no way, quiet hours, or on the shelf' : null,
});
const aTest = (change: Partial<TripTest> = {}): TripTest => ({
  ...{ id: 7, threshold: 1, version: 1, title: 'Humidity too high', node: 'loft-climate', by: 'millwright' },
  ...{
    how: 'setpoint',
    setpoint: 59.5,
    value: 60,
    low: null,
    alsoSetpoint: null,
    output: 'Fan',
    begunAt: NOON - 4000,
    until: NOON + 60_000,
    phase: 'waiting',
  },
  ...{ endedAt: null, endedWhy: null, passed: null },
  legs: [leg('sensor', null), leg('rule', null), leg('message', null), leg('output', null), leg('put back', null)],
  ...change,
});
const aProvable = (change: Partial<Provable> = {}): Provable => ({
  ...{
    threshold: 1,
    hindered: null,
    how: 'setpoint',
    setpoint: 59.5,
    value: 60,
    low: null,
    alsoSetpoint: null,
    last: null,
    passedAt: null,
    dueAt: null,
  },
  ...change,
});
const OUTPUT = aPoint({ id: 2, name: 'fan', label: 'Fan', kind: 'switched', unit: '', min: 0, max: 1, decimals: 0 });
const RULE = aThreshold({ id: 1, output: 2, consequences: ['alert', 'control'] });

describe('a proof in words', () => {
  it('says how a rule is forced: the setpoint beyond the present value, or by hand', () => {
    expect(forcedWords(RULE, aPoint(), aProvable())).toBe('Setpoint 75.0 % to 59.5 %, under the 60.0 % now.');
    expect(forcedWords({ ...RULE, side: 'low' }, aPoint(), aProvable({ setpoint: 60.5 }))).toContain('over the 60.0 % now');
    expect(forcedWords(RULE, aPoint({ label: 'Hatch open' }), aProvable({ how: 'by hand' }))).toMatch(/^Move hatch open by hand/);
  });

  it('says what of another kind of rule is moved, in the words of that kind', () => {
    const words = (judges: Threshold['judges'], provable: Partial<Provable>, rule: Partial<Threshold> = {}): string =>
      forcedWords({ ...RULE, ...rule, judges }, aPoint(), aProvable(provable), aPoint({ label: 'Temperature', unit: '°C' }));
    expect(words({ kind: 'rate', overSeconds: 600 }, { setpoint: -0.4, value: 0.2 })).toContain(
      'to −0.4 %, under the 0.2 % that it comes to now',
    );
    expect(words({ kind: 'silence' }, { setpoint: 2, value: 12 })).toMatch(/^For the test 2 s without a reading are too long/);
    expect(words({ kind: 'count', level: 70, withinSeconds: 60 }, { setpoint: 1, value: 1 }, { setpoint: 3 })).toContain(
      '1 time instead of 3',
    );
    expect(words({ kind: 'band', low: 58 }, { setpoint: 75, value: 60, low: 60.5 })).toBe(
      'Lower end 58.0 % to 60.5 %, over the 60.0 % now.',
    );
    const second = { alsoSetpoint: 24.4 };
    expect(words({ kind: 'value' }, second)).toBe(
      'Setpoint 75.0 % to 59.5 %, under the 60.0 % now. Its second condition is judged by 24.4 °C for the test, so that it is met.',
    );
    expect(words({ kind: 'value' }, { ...second, setpoint: RULE.setpoint })).toMatch(/^Its own condition is met already\. Its second/);
    expect(howForced(aTest(second))).toBe('its setpoint moved to 59.5, where it came to 60; its second condition moved to 24.4');
    expect([howForced(aTest({ low: 60.5 })), howForced(aTest({ how: 'by hand' }))]).toEqual([
      'the lower end of its band moved to 60.5, where it came to 60',
      'forced by hand',
    ]);
  });

  it('is due where there is none, where its time is past, and where the last one failed', () => {
    const proved = { passedAt: NOON - 10 * DAY, dueAt: NOON + 80 * DAY };
    expect(proofWords(aProvable(), NOON)).toEqual({ text: 'never proved', due: true });
    expect(proofWords(aProvable(proved), NOON)).toMatchObject({ due: false });
    expect(proofWords(aProvable({ ...proved, dueAt: NOON - DAY }), NOON)).toMatchObject({ due: true });
    const failed = aTest({ phase: 'over', passed: false, endedAt: NOON - DAY });
    expect(proofWords(aProvable({ ...proved, last: failed }), NOON)).toMatchObject({
      due: true,
      text: expect.stringMatching(/^last failed/),
    });
    // One that failed before the one that passed is past.
    expect(proofWords(aProvable({ ...proved, last: { ...failed, endedAt: NOON - 20 * DAY } }), NOON).due).toBe(false);
  });

  it('never says passed of what is not over', () => {
    for (const phase of ['waiting', 'tripped', 'putting back'] as const)
      expect(phaseWords(aTest({ phase }), NOON)).not.toMatch(/[Pp]assed/);
    expect(phaseWords(aTest({ phase: 'over', passed: true }), NOON)).toBe('Passed');
    expect(phaseWords(aTest({ phase: 'over', passed: false, endedWhy: 'stopped by baker' }), NOON)).toBe('Not passed: stopped by baker');
    expect([seconds(23), seconds(420), seconds(null), seconds(12_340)]).toEqual(['0.023', '0.42', '–', '12.3']);
  });
});

const isThere = async (rig: Rig<TripPage>): Promise<void> => {
  rig.element.querySelector<HTMLInputElement>('mat-checkbox input')?.click();
  await rig.settle();
};

describe('the page of trip tests', () => {
  const open = (answer: unknown, more: { role?: 'maker' | 'keeper'; begin?: unknown } = {}) =>
    Rig.open(TripPage, {
      snapshot: {
        nodes: [aNode()],
        points: [aPoint(), OUTPUT],
        thresholds: [RULE],
        me: { name: 'millwright', role: more.role ?? 'maker' },
      },
      answers: [
        [tripTests.list, answer],
        [tripTests.begin, more.begin ?? aTest()],
        [tripTests.stop, aTest({ phase: 'putting back', endedWhy: 'stopped by millwright' })],
      ],
    });
  const list = (change: object = {}) => ({ running: null, rules: [aProvable()], before: [], ...change });

  it('asks whether somebody is in reach only where something moves', async () => {
    const snapshot = {
      nodes: [aNode()],
      points: [aPoint()],
      thresholds: [aThreshold({ id: 1 })],
      me: { name: 'millwright', role: 'maker' as const },
    };
    const rig = await Rig.open(TripPage, {
      snapshot,
      answers: [
        [tripTests.list, list()],
        [tripTests.begin, aTest({ output: null })],
      ],
    });
    expect([rig.text.includes('really moves'), rig.element.querySelector('mat-checkbox')]).toEqual([false, null]);
    await rig.press('Run the test');
    expect(rig.asked(tripTests.begin)).toHaveLength(1);
  });

  it('names everything that will move: what follows in its order, too', async () => {
    const pump = aPoint({ ...OUTPUT, id: 5, name: 'pump', label: 'Pump' });
    const rig = await Rig.open(TripPage, {
      snapshot: {
        nodes: [aNode()],
        points: [aPoint(), OUTPUT, pump],
        thresholds: [{ ...RULE, then: [{ output: 5, afterSeconds: 30 }] }],
        me: { name: 'millwright', role: 'maker' },
      },
      answers: [[tripTests.list, list()]],
    });
    expect(rig.text).toContain('Fan, then Pump go on and off again.');
  });

  it('runs nothing before somebody has said that nobody is in reach', async () => {
    const rig = await open(list());
    expect(rig.text).toContain('Fan goes on and off again.');
    await expect(rig.press('Run the test')).rejects.toThrow(/cannot be pressed/);
    expect(rig.asked(tripTests.begin)).toEqual([]);
    await isThere(rig);
    await rig.press('Run the test');
    expect(rig.asked(tripTests.begin)).toEqual([{ params: { id: 1 }, body: { clear: true } }]);
  });

  it('follows the test that is told of, and offers to stop it and nothing else', async () => {
    const rig = await open(list());
    await rig.arrive({ type: 'trip-test', test: aTest() });
    expect(rig.text).toContain('Waits for the next reading');
    expect(() => rig.button('Run the test')).toThrow();
    await rig.press('Stop and put back');
    expect(rig.asked(tripTests.stop)).toHaveLength(1);
    await rig.arrive({ type: 'trip-test', test: aTest({ phase: 'putting back', endedWhy: 'stopped by millwright' }) });
    expect(() => rig.button('Stop and put back')).toThrow();
  });

  it('lights the leg that failed with what hindered it', async () => {
    const legs = [leg('sensor', 420), leg('rule', 20), leg('message', null), leg('output', 380), leg('put back', 300)];
    const last = aTest({ phase: 'over', endedAt: NOON, endedWhy: 'its time was up', passed: false, legs });
    const rig = await open(list({ rules: [aProvable({ last })] }));
    expect(rig.text).toContain('Not passed: its time was up');
    expect(rig.text).toContain('nothing arrived: no way, quiet hours, or on the shelf');
    expect(rig.rows('tr.failed')).toHaveLength(1);
  });

  it('a proof that is over is printed with its rule, how it was forced and who; one under way is not', async () => {
    const legs = [leg('sensor', 420), leg('rule', 20)];
    const over = aTest({ phase: 'over', endedAt: NOON, endedWhy: null, passed: true, legs });
    const rig = await open(list({ rules: [aProvable({ last: over })] }));
    window.print = jest.fn();
    await rig.press('Print this proof');
    expect(window.print).toHaveBeenCalledTimes(1);
    const paper = rig.element.querySelector('.on-paper')?.textContent ?? '';
    expect(paper).toContain(over.title);
    expect(paper).toMatch(new RegExp(`version ${over.version} of its rule.*Run .* by ${over.by}.*Signed:`));
    const waiting = aTest({ phase: 'waiting', passed: null });
    const still = await open(list({ running: waiting, rules: [aProvable({ last: waiting })] }));
    expect(still.text).not.toContain('Print this proof');
  });

  it('says what hinders a test, and that keepers have to ask a maker', async () => {
    const hindered = await open(list({ rules: [aProvable({ hindered: 'Fan is locked out by baker: at the belt' })] }));
    expect(hindered.text).toContain('Cannot be tested now: Fan is locked out by baker: at the belt.');
    expect(() => hindered.button('Run the test')).toThrow();
    const keeper = await open(list(), { role: 'keeper' });
    expect(keeper.text).toContain('A maker can run it.');
    expect(() => keeper.button('Run the test')).toThrow();
  });

  it('keeps the words of a refusal, and says when it cannot read, or when there is no rule', async () => {
    const rig = await open(list(), { begin: new Error('Humidity too high is being tested by baker.') });
    await isThere(rig);
    await rig.press('Run the test');
    expect(rig.text).toContain('is being tested by baker');
    expect((await open(new Error('no line to the server'))).text).toContain('no line to the server');
    expect((await open(list({ rules: [] }))).text).toContain('There is no rule yet.');
  });
});
