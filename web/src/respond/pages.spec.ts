import { alertLife, respond, type Alert, type AlertLife } from '@dewpost/contract';
import { ApiError } from '../data/api';
import { aNode, aPoint, aThreshold, Rig } from '../testing/rig';
import { Alerts } from './alerts';
import { Thresholds } from './thresholds';

const humidity = aPoint();
const guards = { minOnSeconds: 0, minOffSeconds: 300, maxRunSeconds: 1800, restSeconds: 600 };
const fan = aPoint({
  id: 2,
  name: 'fan',
  label: 'Fan',
  kind: 'switched',
  unit: '',
  max: 1,
  decimals: 0,
  output: { guards, leaseSeconds: 60, readBack: 'contact', caution: 'Blades: keep clear.' },
});
const dew = aPoint({ id: 3, name: 'dew-point', label: 'Dew point', kind: 'derived', unit: '°C' });
const pump = aPoint({ ...fan, id: 4, node: 'cellar-relays', name: 'pump', label: 'Pump' });
const alert = (change: Partial<Alert> = {}): Alert => ({
  id: 1,
  kind: 'threshold',
  threshold: 1,
  node: 'loft-climate',
  point: 1,
  severity: 'warning',
  title: 'Humidity high',
  text: 'Humidity is 78 %',
  trippedAt: Date.now() - 600_000,
  value: 78,
  clearedAt: null,
  clearedWhy: null,
  acknowledgedAt: null,
  acknowledgedBy: null,
  shelvedUntil: null,
  shelvedBy: null,
  shelvedWhy: null,
  earlier: false,
  journal: false,
  cause: null,
  remedy: null,
  returnedAt: null,
  ...change,
});
const nodes = [aNode(), aNode({ id: 'cellar-relays', room: 'Cellar', fittedAt: null })];
const points = [humidity, fan, dew, pump];

describe('the journal of an alert', () => {
  const at = Date.now() - 3_600_000;
  const life = (change: Partial<AlertLife> = {}): AlertLife => ({
    alert: alert(),
    entries: [{ at, kind: 'life', text: 'tripped', by: null }],
    before: [alert({ id: 3, trippedAt: at - 86_400_000, clearedAt: at - 86_100_000, cause: 'the float was stuck', remedy: 'cleaned it' })],
    ...change,
  });
  const open = (write: unknown) =>
    Rig.open(Alerts, {
      snapshot: { nodes, points, alerts: [alert()] },
      answers: [
        [alertLife.read, life()],
        [alertLife.write, write],
      ],
    });

  it('says what happened and what it came from last time, and takes down why it came', async () => {
    const written = { at, kind: 'cause' as const, text: 'a leaf in the valve', by: 'baker' };
    const rig = await open(life({ entries: [...life().entries, written] }));
    expect(rig.element.querySelector('dp-alert-life-panel')).toBeNull();
    await rig.press('Journal of Humidity high at loft-climate');
    expect(rig.text).toMatch(/for 5 min.*it came from: the float was stuck; done: cleaned it/);
    await rig.press('Write it down');
    expect(rig.asked(alertLife.write)).toEqual([]);
    await rig.fill('dp-alert-life-panel input', 'a leaf in the valve');
    await rig.press('Write it down');
    expect(rig.asked(alertLife.write).at(-1)).toMatchObject({ params: { id: 1 }, body: { kind: 'cause', text: 'a leaf in the valve' } });
    expect(rig.text).toContain('why it came: a leaf in the valve, baker');
    expect(rig.element.querySelector<HTMLInputElement>('dp-alert-life-panel input')!.value).toBe('');
  });

  it('what was typed stays where it could not be kept', async () => {
    const rig = await open(new ApiError(503, 'The database is away: try again in a moment.', []));
    await rig.press('Journal of Humidity high at loft-climate');
    await rig.fill('dp-alert-life-panel input', 'a leaf in the valve');
    await rig.press('Write it down');
    expect(rig.text).toContain('The database is away');
    expect(rig.element.querySelector<HTMLInputElement>('dp-alert-life-panel input')!.value).toBe('a leaf in the valve');
  });

  it('what somebody has written down stands in the list; ordinary switching has no journal', async () => {
    const alerts = [alert({ cause: 'a leaf in the valve' }), alert({ id: 2, journal: true })];
    const rig = await Rig.open(Alerts, { snapshot: { nodes, points, alerts } });
    expect(rig.text).toContain('came from: a leaf in the valve');
    expect([...rig.element.querySelectorAll('button')].filter((button) => button.textContent?.includes('Journal'))).toHaveLength(1);
  });
});

describe('an alert on the shelf', () => {
  const shelved = { shelvedUntil: Date.now() + 3_600_000, shelvedBy: 'baker', shelvedWhy: 'it is being mended' };
  const open = (change: Partial<Alert>) =>
    Rig.open(Alerts, {
      snapshot: { nodes, points, alerts: [alert(change)] },
      answers: [
        [respond.shelve, alert(shelved)],
        [respond.takeOffShelf, alert()],
      ],
    });
  it('is put there with a reason and for no longer than its severity may wait', async () => {
    const rig = await open({ severity: 'critical' });
    await rig.press('Shelve Humidity high at loft-climate');
    expect(rig.button('Put it away').disabled).toBe(true);
    await rig.fill('dp-shelf-line input', 'it is being mended');
    await rig.fill('dp-shelf-line mat-select', '15 min');
    await rig.press('Put it away');
    expect(rig.asked(respond.shelve)[0]).toEqual({ params: { id: 1 }, body: { minutes: 15, why: 'it is being mended' } });
  });
  it('waits for nobody, says by whom, why and until when, and is taken off again', async () => {
    const rig = await open(shelved);
    expect(rig.text).toContain('0 wait, 0 known, 1 on the shelf');
    expect(rig.text).toMatch(/On the shelf 1 .*until .+ by baker: it is being mended/);
    expect(rig.element.querySelector('.lane-row')?.classList.contains('warning')).toBe(false);
    await rig.press('Off the shelf Humidity high');
    expect(rig.asked(respond.takeOffShelf)).toHaveLength(1);
  });
  it('is nothing for what has cleared, was acknowledged, or only switches', async () => {
    for (const change of [{ clearedAt: Date.now() }, { acknowledgedAt: Date.now(), acknowledgedBy: 'baker' }, { journal: true }]) {
      const rig = await open(change);
      expect(() => rig.button('Shelve Humidity high at loft-climate')).toThrow();
    }
  });
});

describe('thresholds', () => {
  const open = (answers: Parameters<typeof Rig.open>[1]['answers'] = [], role: 'maker' | 'keeper' = 'maker') =>
    Rig.open(Thresholds, {
      answers,
      snapshot: {
        me: { name: 'millwright', role },
        nodes,
        points,
        thresholds: [aThreshold({ output: 4 }), aThreshold({ id: 2, side: 'low', setpoint: 40, clearLevel: 45, onDelaySeconds: 90 })],
        latest: [],
      },
    });
  it('lists each with its limits, delays and what it switches, the lower setpoint first', async () => {
    const rig = await open();
    expect(rig.rows()).toEqual([
      expect.stringMatching(/Humidity loft-climate at or below 40\.0 % 1 min 30 s 45\.0 % 2 min alert – /),
      expect.stringMatching(/at or above 75\.0 % at once 70\.0 % 2 min pump on, cellar-relays; alert/),
    ]);
  });
  it('stands one down only when asked twice; a refusal keeps it; keepers are offered nothing', async () => {
    const rig = await open([[respond.retireThreshold, {}]]);
    await rig.press('Stand down Humidity at or below 40.0 % of loft-climate');
    await rig.press('Keep');
    expect(rig.asked(respond.retireThreshold)).toEqual([]);
    await rig.press('Stand down Humidity at or below 40.0 % of loft-climate');
    await rig.press('Stand down');
    expect(rig.asked(respond.retireThreshold)).toEqual([{ params: { id: 2 }, body: undefined }]);
    await rig.arrive({ type: 'threshold-retired', id: 2 });
    expect(rig.text).toContain('1 in force');
    const refused = await open([[respond.retireThreshold, new ApiError(0, 'The server does not answer.')]]);
    await refused.press('Stand down Humidity at or below 40.0 % of loft-climate');
    await refused.press('Stand down');
    expect([refused.rows().length, refused.text]).toEqual([2, expect.stringContaining('Stand it down?')]);
    const keeper = await open([], 'keeper');
    expect([...keeper.element.querySelectorAll('tbody button, .tools button')]).toEqual([]);
  });
});

describe('alerts', () => {
  it('stand by what is to be done about them; who was told and who has seen them stands beside', async () => {
    const now = Date.now();
    const rig = await Rig.open(Alerts, {
      snapshot: {
        nodes,
        points,
        alerts: [
          alert(),
          alert({ id: 2, title: 'Flood', severity: 'critical', acknowledgedAt: now - 60_000, acknowledgedBy: 'baker' }),
          alert({ id: 3, title: 'Silent', clearedAt: now - 1000, clearedWhy: 'heard again', earlier: true }),
        ],
        deliveries: [
          {
            id: 'd-1',
            alert: 1,
            message: {
              id: 'm-1',
              to: 'handset',
              title: 'Humidity high',
              text: '',
              severity: 'warning',
              alertId: 1,
              trippedAt: now,
              sentAt: now,
            },
            state: 'waiting',
            attempts: 1,
            deliveredAt: null,
            error: null,
          },
        ],
      },
      answers: [],
    });
    expect(rig.text).toContain('1 waits, 1 known');
    expect(rig.rows('.lane-head h2')).toEqual(['Waits for you 1', 'Known, still standing 1', 'Cleared, not seen by anybody 1']);
    const [open, known, cleared] = rig.rows('.lane-row');
    expect(open).toMatch(/for 10 min.*telling handset/);
    expect(known).toMatch(/seen \d\d:\d\d by baker/);
    expect(cleared).toMatch(/heard again after 10 min; happened earlier.*nobody told/);
    await rig.arrive({
      type: 'alert',
      alert: alert({ clearedAt: now, clearedWhy: 'cleared', acknowledgedAt: now, acknowledgedBy: 'baker' }),
    });
    expect(rig.rows('.lane-head h2')[0]).toBe('Known, still standing 1');
    expect((await Rig.open(Alerts, { snapshot: { alerts: [] } })).text).toContain('Nothing has tripped yet.');
  });
});

describe('a latched alert', () => {
  const gone = (change: Partial<Alert> = {}): Alert => alert({ returnedAt: Date.now() - 300_000, ...change });
  const open = (one: Alert) =>
    Rig.open(Alerts, { snapshot: { nodes, points, alerts: [one] }, answers: [[respond.resetAlert, gone({ clearedAt: Date.now() })]] });

  it('says that it waits, and is reset only once somebody has seen it', async () => {
    const unseen = await open(gone());
    expect([
      unseen.text.includes('latched: waits to be seen and reset'),
      unseen.rows('button').some((text) => text.startsWith('Reset')),
    ]).toEqual([true, false]);
    const seen = await open(gone({ acknowledgedAt: Date.now() - 60_000, acknowledgedBy: 'baker' }));
    expect(seen.text).toContain('gone after 5 min latched: waits to be reset');
    await seen.press('Reset Humidity high at loft-climate');
    expect(seen.asked(respond.resetAlert)[0]?.params).toEqual({ id: 1 });
  });
  it('that still stands offers no reset', async () => {
    const rig = await open(alert({ acknowledgedAt: Date.now(), acknowledgedBy: 'baker' }));
    expect([rig.text.includes('latched'), rig.rows('button').some((text) => text.startsWith('Reset'))]).toEqual([false, false]);
  });
});

it('rules of every kind are told in words, and where each clears', async () => {
  const rig = await Rig.open(Thresholds, {
    snapshot: {
      nodes,
      points,
      thresholds: [
        aThreshold({ id: 1, judges: { kind: 'band', low: 40 }, setpoint: 70, deadband: 2 }),
        aThreshold({ id: 2, judges: { kind: 'rate', overSeconds: 600 }, side: 'low', setpoint: -3, clearLevel: -1 }),
        aThreshold({ id: 3, judges: { kind: 'count', level: 80, withinSeconds: 3600 }, setpoint: 4, clearLevel: 3 }),
        aThreshold({ id: 4, judges: { kind: 'silence' }, setpoint: 600 }),
        aThreshold({ id: 5, latching: true, also: { join: 'and', point: dew.id, side: 'low', setpoint: 5 } }),
        aThreshold({ id: 6, judges: { kind: 'count', level: 1, withinSeconds: 3600 }, point: pump.id, confirm: 'hold', setpoint: 6 }),
      ],
    },
  });
  for (const words of [
    ...['outside 40.0 to 70.0 %', '2.0 % inside', 'falls 3.0 % within 10 min', '4 times to 80.0 % within 1 h', '3 times'],
    ...['not read for 10 min', 'once read', 'at or above 75.0 %, and by dew point', 'once reset'],
  ])
    expect(rig.text).toContain(words);
  expect(rig.text).toMatch(/Pump .*(?<!to 1 )6 times within 1 h/);
});
