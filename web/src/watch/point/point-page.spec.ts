import { calibrate, watch, type PointRecord, type StretchRow } from '@dewpost/contract';
import { ChangeDetectionStrategy, Component, input, output } from '@angular/core';
import { aNode, aPoint, aThreshold, NOON, Rig } from '../../testing/rig';
import { PointPage } from './point-page';
import { RecordChart } from './record-chart';

/** Stands in for what only a browser draws. */
@Component({ selector: 'dp-record-chart', template: '', changeDetection: ChangeDetectionStrategy.OnPush })
class NoChart {
  readonly record = input<unknown>();
  readonly overlays = input<readonly { label: string; shift: number }[]>([]);
  readonly limits = input<unknown>();
  readonly calibrations = input<unknown>();
  readonly outputs = input<unknown>();
  readonly zone = input<unknown>();
  readonly label = input<unknown>();
  readonly ranged = output<{ from: number; to: number }>();
}

const POINT = aPoint({ id: 1 });
const OTHER = aPoint({ id: 2, name: 'temperature', label: 'Air temperature', unit: '°C' });
const row = (i: number, mean: number, more: { suspect?: number; bad?: number } = {}): StretchRow => {
  const at = NOON + i * 60_000;
  return [at, mean - 1, mean, mean + 1, 2, more.suspect ?? 0, more.bad ?? 0, 0, at, at + 30_000];
};
const record = (change: Partial<PointRecord> = {}): PointRecord => ({
  ...{
    point: POINT,
    from: NOON,
    to: NOON + 300_000,
    level: null,
    width: 60_000,
    reportSeconds: 30,
    alerts: [],
    trials: [],
    happenings: [],
    switched: [],
  },
  stretches: [row(0, 60), row(1, 80, { suspect: 1 }), row(2, 70, { bad: 1 })],
  ...change,
});
const open = (answer: unknown, inputs: Record<string, unknown> = { node: 'loft-climate', point: 'humidity' }) =>
  Rig.open(PointPage, {
    snapshot: {
      nodes: [aNode()],
      points: [POINT, OTHER],
      thresholds: [aThreshold({ id: 4, point: 1, setpoint: 75 })],
      latest: [{ point: 1, at: NOON, value: 72.8, quality: 'good', reason: null, low: 70, high: 75, base: null }],
    },
    answers: [
      [watch.record, answer],
      [calibrate.list, []],
      [watch.history, { point: { id: 1, label: 'Humidity', unit: '%' }, thinned: false, readings: [[NOON, 72.8, 0]], raw: [[72.8, 0]] }],
    ],
    inputs,
    instead: { part: RecordChart, by: NoChart },
  });
const settled = async (rig: Awaited<ReturnType<typeof open>>) => {
  for (let i = 0; i < 4; i++) await rig.settle();
  return rig;
};
const spanOf = (call: { query?: Record<string, string> }): number =>
  (Number(call.query?.['to']) - Number(call.query?.['from'])) / 3_600_000;

describe('a point’s page', () => {
  const asked: { params?: Record<string, unknown>; query?: Record<string, string> }[] = [];
  const answers = (given: PointRecord) => (input: object) => {
    asked.push(input);
    return given;
  };
  beforeEach(() => asked.splice(0));

  it('answers why it shows what it shows, and what this time was like', async () => {
    const rig = await settled(await open(answers(record())));
    expect(rig.text).toMatch(/Why it shows this shows 72.8 % converted by nothing: the node sends it so raw 72.80 %/);
    expect(rig.text).toMatch(/highest 81.0/);
    expect(rig.text).toMatch(/mean 70.00 %/);
    expect(rig.text).toMatch(/over 75.0 60 s warning/);
    expect(rig.text).toMatch(/good 5 .*suspect 1 .*bad 1/);
    expect(spanOf(asked[0]!)).toBe(24);
  });
  it('other spans, a step back and forward, and a span dragged to are asked for; now is never passed', async () => {
    const rig = await settled(await open(answers(record())));
    expect(rig.button('Later').disabled).toBe(true);
    await rig.press('7 d');
    await settled(rig);
    expect(spanOf(asked.at(-1)!)).toBe(168);
    const before = Number(asked.at(-1)?.query?.['to']);
    await rig.press('Earlier');
    await settled(rig);
    expect(Number(asked.at(-1)?.query?.['to'])).toBe(before - 84 * 3_600_000);
    await rig.press('Later');
    await settled(rig);
    expect(rig.button('Later').disabled).toBe(true);
    const page = rig.fixture.componentInstance as unknown as { rangeTo(span: object): void };
    page.rangeTo({ from: NOON, to: NOON + 3_600_000 });
    await settled(rig);
    expect(asked.at(-1)?.query).toMatchObject({ from: String(NOON), to: String(NOON + 3_600_000) });
    page.rangeTo({ from: NOON, to: NOON + 10 });
    await settled(rig);
    expect(asked.at(-1)?.query).toMatchObject({ to: String(NOON + 3_600_000) });
  });
  it('lays another point and the week before over it, and leaves them out again', async () => {
    const rig = await settled(await open(answers(record())));
    const page = rig.fixture.componentInstance as unknown as {
      addBeside(id: number): void;
      overlays(): { label: string; shift: number }[];
    };
    page.addBeside(2);
    page.addBeside(1);
    await rig.press('and a week before');
    await settled(rig);
    expect(page.overlays().map(({ label, shift }) => [label, shift])).toEqual([
      ['a week before', 604_800_000],
      ['Air temperature, loft-climate', 0],
    ]);
    await rig.press('Leave out Air temperature, loft-climate');
    await rig.press('this time');
    await settled(rig);
    expect(page.overlays()).toEqual([]);
  });
  it('says in words what failed, what is empty, and what is not there', async () => {
    const failed = await settled(await open(new Error('The server is not reached.')));
    expect(failed.element.querySelector('[role=alert]')?.textContent).toContain('The server is not reached.');
    const empty = await settled(await open(answers(record({ stretches: [] }))));
    expect(empty.text).toContain('Nothing was recorded in this time.');
    const gone = await settled(await open(answers(record()), { node: 'loft-climate', point: 'gone' }));
    expect(gone.text).toContain('loft-climate has no point gone that is recorded');
    const list = await settled(await open(answers(record()), {}));
    expect(list.rows('.all li')).toEqual(['Humidity loft-climate', 'Air temperature loft-climate']);
  });
});
