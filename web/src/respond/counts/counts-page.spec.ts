import { alertCounts, type AlertLoad, type AlertOrigin } from '@dewpost/contract';
import { aNode, aThreshold, NOON, Rig } from '../../testing/rig';
import { figuresOf, mendWords, severityWords } from './count-words';
import { CountsPage } from './counts-page';

const origin = (change: Partial<AlertOrigin> = {}): AlertOrigin => ({
  kind: 'threshold',
  threshold: 1,
  node: 'loft-climate',
  point: 1,
  title: 'Humidity too high',
  count: 12,
  share: 0.8,
  fleeting: 0,
  chattering: 0,
  standsSince: null,
  ...change,
});
const load = (change: Partial<AlertLoad> = {}): AlertLoad => ({
  from: NOON - 7 * 86_400_000,
  until: NOON,
  count: 15,
  perDay: 2.1,
  peak: 3,
  floodShare: 0,
  fleeting: 0,
  chattering: 0,
  stale: 0,
  bySeverity: { advisory: 12, warning: 2, critical: 1 },
  origins: [origin()],
  others: 0,
  ...change,
});

describe('the counts in words', () => {
  it('stand against what is published, and only what is over it is said to be too many', () => {
    expect(figuresOf(load()).filter(({ over }) => over)).toEqual([]);
    const bad = load({ perDay: 151, peak: 11, floodShare: 0.01, stale: 5, fleeting: 1, chattering: 3 });
    expect(figuresOf(bad).every(({ over }) => over)).toBe(true);
    expect(figuresOf(load({ perDay: 150, peak: 10, floodShare: 0.009, stale: 4 })).filter(({ over }) => over)).toEqual([]);
  });
  it('say how the severities share, and nothing of none', () => {
    expect(severityWords(load())).toBe('80 % advisory, 13 % warning, 7 % critical; published: about 80, 15 and 5.');
    expect(severityWords(load({ count: 0 }))).toBe('');
  });
  it('give one way to mend: chattering before fleeting before standing; what is built in has its own', () => {
    const day = 86_400_000;
    expect(mendWords(origin({ chattering: 3, fleeting: 3 }), NOON)).toMatch(/^A wider deadband: 3 of 12 alerts/);
    expect(mendWords(origin({ fleeting: 2 }), NOON)).toMatch(/^A longer on-delay: 2 of 12 alerts/);
    expect(mendWords(origin({ standsSince: NOON - day - 1 }), NOON)).toMatch(/stood for more than a day/);
    expect(mendWords(origin({ standsSince: NOON - day + 1 }), NOON)).toMatch(/See on its record/);
    expect(mendWords(origin({ kind: 'silent', threshold: null, fleeting: 9 }), NOON)).toBe(
      'Look at its supply and at its signal where it hangs.',
    );
  });
});

describe('the page', () => {
  const open = (answer: unknown, role: 'maker' | 'keeper' = 'maker') =>
    Rig.open(CountsPage, {
      snapshot: { nodes: [aNode()], thresholds: [aThreshold({ id: 1 })], me: { name: 'millwright', role } },
      answers: [[alertCounts.read, answer]],
    });
  it('names who spoke most, with the rule on its record or the node; a rule that is gone is not offered', async () => {
    const rig = await open(
      load({
        origins: [
          origin({ fleeting: 2 }),
          origin({ threshold: 99, title: 'Gone one' }),
          origin({ kind: 'silent', threshold: null, point: null, title: 'loft-climate is silent' }),
        ],
        others: 4,
      }),
    );
    expect(rig.button('On its record Humidity too high, loft-climate')).toBeTruthy();
    expect(rig.button('The node loft-climate').getAttribute('href')).toBe('/upkeep/loft-climate');
    expect(() => rig.button('On its record Gone one, loft-climate')).toThrow();
    expect(rig.text).toContain('This rule is not there any more.');
    expect(rig.text).toContain('4 more that spoke less.');
  });
  it('lets nobody but makers at a rule', async () => {
    const rig = await open(load(), 'keeper');
    expect(() => rig.button('On its record Humidity too high, loft-climate')).toThrow();
  });
  it('counts another time when asked, and says when there was none, or no answer', async () => {
    const rig = await open(load());
    await rig.press('7 d');
    expect(rig.text).toContain('15 alerts in 7 days');
    expect((await open(load({ count: 0, origins: [] }))).text).toContain('No alert in this time.');
    expect((await open(new Error('no line to the server'))).text).toContain('no line to the server');
  });
});
