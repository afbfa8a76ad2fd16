import { Trace, type TraceScale } from '../../parts/trace';
import { watch, type ReadingRow } from '@dewpost/contract';
import type { ThresholdRule } from '@dewpost/core/alarm';
import { afterNextRender, ChangeDetectionStrategy, Component, input, output } from '@angular/core';
import { InThisThread } from '../../testing/in-this-thread';
import { aNode, aPoint, Rig } from '../../testing/rig';
import { RecordPanel } from './record-panel';
import type { Suggestion } from './suggestions';
import { runRehearsal, takeRecord, type RecordOfPoint, type RehearsalJob } from './rehearsal-jobs';
import { RehearsalWorkers } from './rehearser';

/** Drawing is the browser tests' business. */
@Component({ selector: 'dp-trace', template: '', changeDetection: ChangeDetectionStrategy.OnPush })
class NoTrace {
  readonly series = input();
  readonly bands = input();
  readonly source = input();
  readonly hours = input();
  readonly until = input();
  readonly reach = input();
  readonly zone = input();
  readonly label = input();
  readonly fixed = input();
  readonly marks = input();
  readonly marksOf = input();
  readonly scaled = output<TraceScale>();
  constructor() {
    afterNextRender(() => this.scaled.emit({ top: 6, height: 100, low: 10, high: 40 }));
  }
}

const RULE: ThresholdRule = {
  side: 'high',
  setpoint: 30,
  deadband: 1,
  clearLevel: 29,
  onDelayMs: 0,
  offDelayMs: 0,
  maxGapMs: null,
  confirm: 'readings',
};
const rows = (values: number[], begin: number, step = 10_000): ReadingRow[] => values.map((value, i) => [begin + i * step, value, 0]);
const spikes = [...Array.from({ length: 60 }, (_, i) => (i % 6 < 2 ? 31 : 20)), ...Array<number>(30).fill(31), 20];

async function open(answer: unknown, inputs: Record<string, unknown> = {}) {
  const rig = await Rig.open(RecordPanel, {
    snapshot: { nodes: [aNode()], points: [aPoint()] },
    answers: [[watch.history, answer]],
    providers: [
      {
        provide: RehearsalWorkers,
        useValue: {
          open: () =>
            Promise.resolve(new InThisThread((record: RecordOfPoint, job: RehearsalJob) => runRehearsal(takeRecord(record), job))),
        },
      },
    ],
    instead: { part: Trace, by: NoTrace },
    inputs: { point: aPoint(), side: 'high', severity: 'warning', draft: RULE, ...inputs },
  });
  await rig.settle();
  return rig;
}
const record = (readings: ReadingRow[]) => ({ point: { id: 1, label: 'Humidity', unit: '%' }, thinned: false, readings });
const cells = (rig: Rig<RecordPanel>) =>
  [...rig.element.querySelectorAll('tr')].map((row) => [...row.querySelectorAll('td, th')].map((cell) => cell.textContent?.trim()));

it('the draft over its record, against the rule in force', async () => {
  const rig = await open(record(rows(spikes, Date.now() - 3_600_000)), { inForce: { ...RULE, onDelayMs: 60_000 } });
  expect(cells(rig)).toEqual([
    ['rule', 'trips', 'a day', 'in alarm', 'longest', 'fleeting', 'chattering'],
    ['as drawn', '11', expect.any(String), expect.any(String), '5 min', '10', '0'],
    ['in force', '1', expect.any(String), expect.any(String), '4 min', '0', '0'],
  ]);
});

it('what the record suggests is taken by a click, each with its arithmetic', async () => {
  const rig = await open(record(rows(spikes, Date.now() - 3_600_000)));
  const taken: Suggestion[] = [];
  rig.fixture.componentInstance.use.subscribe((one) => taken.push(one));
  expect(rig.text).toContain('Without delays it would have tripped 11 times, 10 of them for less than a minute; with it, 1.');
  await rig.press('Use on-delay 15 s');
  expect(taken).toEqual([{ field: 'onDelaySeconds', value: 15 }]);
  expect(rig.text).not.toContain('setpoint');
});

it('without a setpoint it proposes one outside of 99 readings in 100, and shows no figures', async () => {
  const rig = await open(record(rows(Array<number>(50).fill(20), Date.now() - 600_000)), { draft: null });
  expect(rig.text).toContain('Use setpoint 20.1 %');
  expect(rig.element.querySelector('table')).toBeNull();
});

it('a long record comes in pages, each beginning after the last', async () => {
  const asked: number[] = [];
  const begin = Date.now() - 13 * 86_400_000;
  const all = rows(Array<number>(20_005).fill(20), begin, 1000);
  const answer = ({ query }: { query?: { from: string; level: string; max: number } }): unknown => {
    asked.push(Number(query?.from));
    expect([query?.level, query?.max]).toEqual(['raw', 20_000]);
    return record(all.filter(([at]) => at >= Number(query?.from)).slice(0, 20_000));
  };
  const rig = await open(answer);
  expect(asked).toHaveLength(2);
  expect(asked[1]).toBe(begin + 19_999 * 1000 + 1);
  expect(rig.text).toMatch(/It would not have tripped\. 20\s005 readings/);
});

it('nothing read yet, and a server that does not answer, are said', async () => {
  expect((await open(record([]))).text).toContain('Nothing was read in this time');
  const rig = await open(new Error('no line to the server'));
  expect(rig.text).toContain('The record could not be read: no line to the server');
  await rig.press('Try again');
  expect(rig.text).toContain('The record could not be read');
});

it('what is told only when it changes gets no deadband from jitter', async () => {
  const hatch = aPoint({ confirm: 'hold', unit: '', decimals: 0 });
  const rig = await open(record(rows([0, 1, 0, 1], Date.now() - 600_000)), {
    point: hatch,
    draft: { ...RULE, setpoint: 0.5, deadband: 0.4, clearLevel: 0.1, confirm: 'hold' },
  });
  expect(rig.text).not.toContain('deadband');
});

it('setpoint and deadband are lines with handles: keys move them as finely as the point is shown, and both delays stay', async () => {
  const rig = await open(record(rows(spikes, Date.now() - 3_600_000)));
  const taken: Suggestion[] = [];
  rig.fixture.componentInstance.use.subscribe((one) => taken.push(one));
  const handle = (name: string): HTMLElement => rig.element.querySelector<HTMLElement>(`[role=slider][aria-label="${name}"]`)!;
  expect(['Setpoint', 'Clears at'].map((name) => handle(name).getAttribute('aria-valuetext'))).toEqual(['30.0 %', '29.0 %']);
  const press = (name: string, key: string, shiftKey = false): boolean =>
    handle(name).dispatchEvent(new KeyboardEvent('keydown', { key, shiftKey, bubbles: true, cancelable: true }));
  press('Setpoint', 'ArrowUp');
  press('Setpoint', 'ArrowDown', true);
  press('Clears at', 'ArrowDown');
  // Across the setpoint there is no deadband, never one that is negative.
  press('Clears at', 'PageUp');
  press('Clears at', 'PageUp', true);
  press('Setpoint', 'Tab');
  expect(taken).toEqual([
    { field: 'setpoint', value: 30.1 },
    { field: 'setpoint', value: 29 },
    { field: 'deadband', value: 1.1 },
    { field: 'deadband', value: 0 },
    { field: 'deadband', value: 0 },
  ]);
});
it('shows when it would have stood in alarm, as drawn and as in force', async () => {
  const rig = await open(record(rows(spikes, Date.now() - 3_600_000)), { inForce: { ...RULE, onDelayMs: 60_000 } });
  const lanes = [...rig.element.querySelectorAll('dp-record-lanes .lane')];
  expect(lanes.map((lane) => [lane.textContent?.trim(), lane.querySelectorAll('rect').length])).toEqual([
    ['as drawn', 11],
    ['in force', 1],
  ]);
});

it('is tried on what somebody makes up: nothing is suggested from that, and its own record comes back', async () => {
  const rig = await open(record(rows(spikes, Date.now() - 3_600_000)), { base: 20 });
  expect(rig.text).toContain('Use on-delay');
  await rig.fill('.over mat-select', 'a step');
  // Until somebody says to which value, it is the record still.
  expect(rig.text).toContain('On its own record');
  await rig.fill('#t-made-to', '35');
  await rig.settle();
  expect(rig.text).toContain('On what is made up');
  expect([cells(rig)[1]?.[1], rig.text.includes('Use on-delay'), rig.text.includes('961 readings over 8 h')]).toEqual(['1', false, true]);
  await rig.fill('.over mat-select', 'its own record');
  await rig.settle();
  expect(rig.text).toContain('Use on-delay');
});

it('rules that were drawn before stand beside this one, and go again', async () => {
  const rig = await open(record(rows(spikes, Date.now() - 3_600_000)));
  await rig.press('Keep this one beside');
  rig.fixture.componentRef.setInput('draft', { ...RULE, onDelayMs: 60_000 });
  await rig.settle();
  await rig.settle();
  expect(
    cells(rig)
      .slice(1)
      .map(([what, trips]) => [what, trips]),
  ).toEqual([
    ['as drawn', '1'],
    ['≥ 30, 1, 0 and 0 s', '11'],
  ]);
  for (let i = 0; i < 2; i++) await rig.press('Keep this one beside');
  expect(() => rig.button('Keep this one beside')).toThrow();
  // Of another point they would say nothing.
  rig.fixture.componentRef.setInput('point', aPoint({ id: 2, name: 'temperature', unit: '°C' }));
  await rig.settle();
  await rig.settle();
  expect(cells(rig)).toHaveLength(2);
  await rig.press('Keep this one beside');
  await rig.settle();
  expect(cells(rig)).toHaveLength(3);
  await rig.press('Only this one');
  await rig.settle();
  expect(cells(rig)).toHaveLength(2);
});

it('is tried on a course drawn by hand, which begins where the point is', async () => {
  const rig = await open(record(rows(spikes, Date.now() - 3_600_000)), { base: 20 });
  await rig.fill('.over mat-select', 'what I draw');
  await rig.settle();
  expect(rig.text).toContain('On what is made up');
  expect(cells(rig)[1]?.[1]).toBe('0');
  const knots = rig.element.querySelectorAll<HTMLElement>('.knot');
  expect(knots).toHaveLength(5);
  for (let i = 0; i < 8; i++) knots[2]!.dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowUp', cancelable: true }));
  await rig.settle();
  await rig.settle();
  expect(cells(rig)[1]?.[1]).toBe('1');
});

it('what an output would have done stands beside its rule, within its guards; a lane shows when it ran', async () => {
  const output = {
    guards: { minOnMs: 0, minOffMs: 0, maxRunMs: 60_000, restMs: 240_000, dailyCapMs: null },
    ...{ mostStarts: null, hours: null, zone: 'UTC', share: null },
  };
  const inForce = { ...RULE, onDelayMs: 60_000 };
  const rig = await open(record(rows(spikes, Date.now() - 3_600_000)), { inForce, output });
  const [head, drawn, armed] = cells(rig);
  expect(head?.slice(7)).toEqual(['starts a day', 'on a day', 'kept off a day']);
  // Ten spikes of twenty seconds and five minutes on end: a minute of those, and rests; over an hour of record.
  expect([drawn?.[1], drawn?.[9]]).toEqual(['11', '1 h 36']);
  // The rule in force switches nothing.
  expect(armed?.slice(7)).toEqual(['–', '–', '–']);
  expect([...rig.element.querySelectorAll('dp-record-lanes .lane')].map((lane) => lane.textContent?.trim())).toEqual([
    'as drawn',
    'output on',
    'in force',
  ]);
  expect(rig.text).toContain('Its output runs within its guards');
  rig.fixture.componentRef.setInput('output', null);
  await rig.settle();
  await rig.settle();
  expect([cells(rig)[0]?.length, rig.text.includes('Its output runs within')]).toEqual([7, false]);
});

it('is tried on whole days of the site as well', async () => {
  const asked: [number, number][] = [];
  const rig = await open(({ query }: { query?: { from: string; to: string } }) => {
    asked.push([Number(query?.from), Number(query?.to)]);
    return record(rows(spikes, Number(query?.from)));
  });
  rig.fixture.componentInstance['span'].set({ from: Date.UTC(2026, 2, 1), until: Date.UTC(2026, 2, 3) });
  await rig.settle();
  await rig.settle();
  expect(asked.at(-1)).toEqual([Date.UTC(2026, 2, 1), Date.UTC(2026, 2, 3)]);
  expect(cells(rig)[1]?.[1]).toBe('11');
});
