import { watch, type ReadingRow } from '@dewpost/contract';
import type { ThresholdRule } from '@dewpost/core/alarm';
import { ChangeDetectionStrategy, Component, input } from '@angular/core';
import { Trace } from '../../parts/trace';
import { InThisThread } from '../../testing/in-this-thread';
import { aNode, aPoint, Rig } from '../../testing/rig';
import { RehearsalWorkers } from '../record/rehearser';
import { runResponse, takeAnswer, type AnsweredRecord, type ResponseJob } from './response-jobs';
import { ResponsePanel } from './response-panel';

/** Drawing is the browser tests' business. */
@Component({ selector: 'dp-trace', template: '', changeDetection: ChangeDetectionStrategy.OnPush })
class NoTrace {
  readonly series = input();
  readonly bands = input();
  readonly source = input();
  readonly hours = input();
  readonly zone = input();
  readonly label = input();
}

const output = {
  guards: { minOnSeconds: 0, minOffSeconds: 0, maxRunSeconds: 300, restSeconds: 300 },
  leaseSeconds: 60,
  readBack: 'contact' as const,
  caution: '',
};
const humidifier = aPoint({ id: 2, name: 'humidifier', label: 'Humidifier', kind: 'switched', unit: '', max: 1, decimals: 0, output });
const RULE: ThresholdRule = {
  ...{ side: 'low', setpoint: 68, deadband: 6, clearLevel: 74, onDelayMs: 0, offDelayMs: 0, maxGapMs: null, confirm: 'readings' },
};

const MIN = 60_000;
/** Half an hour on and an hour off, a room that answers in twenty minutes by so much. */
function recorded(gain: number): { read: ReadingRow[]; did: ReadingRow[] } {
  const begin = Date.now() - 24 * 60 * MIN;
  const did: ReadingRow[] = Array.from({ length: 32 }, (_, i) => [begin + (i * 45 + 10) * MIN, i % 2 === 0 ? 1 : 0, 0]);
  let x = 0;
  const read = Array.from({ length: 1440 }, (_, i): ReadingRow => {
    const at = begin + i * MIN;
    const on = did.findLast(([when]) => when <= at - MIN)?.[1] === 1;
    x = (on ? 1 : 0) + (x - (on ? 1 : 0)) * Math.exp(-1 / 20);
    return [at, 60 + gain * x, 0];
  });
  return { read, did };
}

async function open(gain: number, draft: ThresholdRule | null = RULE) {
  const { read, did } = recorded(gain);
  const answer = (readings: ReadingRow[]) => ({ point: { id: 1, label: 'x', unit: '%' }, thinned: false, readings });
  const rig = await Rig.open(ResponsePanel, {
    snapshot: { nodes: [aNode()], points: [aPoint(), humidifier] },
    answers: [[watch.history, ({ params }: { params: { point: string } }) => answer(params.point === 'humidifier' ? did : read)]],
    providers: [
      {
        provide: RehearsalWorkers,
        useValue: {
          openResponse: () =>
            Promise.resolve(new InThisThread((record: AnsweredRecord, job: ResponseJob) => runResponse(takeAnswer(record), job))),
        },
      },
    ],
    instead: { part: Trace, by: NoTrace },
    inputs: { point: aPoint(), switched: humidifier, draft, inForce: null, reportSeconds: 60 },
  });
  await rig.press('Fit how it answers');
  await rig.settle();
  return rig;
}

it('says how the room answers, and what the rule would do with it, its guards kept', async () => {
  const rig = await open(30);
  expect(rig.text).toMatch(/moves by (29|30|31)\.\d % in all, two thirds of that within (19|20|21) min/);
  expect(rig.text).toContain('Fitted to 16 runs');
  const cells = rig.rows('td').map((cell) => cell.replace(/\s+/g, ' '));
  expect(cells[0]).toBe('as drawn');
  // A run of five minutes at most, and five of rest: half of the time at the very most.
  expect(Number.parseFloat(cells[3] ?? '')).toBeLessThanOrEqual(12);
  expect(Number.parseFloat(cells[3] ?? '')).toBeGreaterThan(1);
  expect(rig.text).toMatch(/Its guards would end a run, hold one back or make it go on \d+ times a day/);
  expect(cells.at(-1)).toBe('–');
  await rig.fill('#t-watts', '100');
  expect(rig.rows('td').at(-1)).toMatch(/^\d\.\d\d kWh$/);
});

it('refuses politely where the output does nothing, or goes the wrong way', async () => {
  expect((await open(0)).text).toMatch(/The record cannot tell\. .*(hardly follows|one and the same)/);
  expect((await open(-20)).text).toContain('the wrong way for a rule that is to keep it from being too low');
});

it('asks nothing of the record before somebody wants it', async () => {
  const rig = await Rig.open(ResponsePanel, {
    snapshot: { nodes: [aNode()], points: [aPoint(), humidifier] },
    instead: { part: Trace, by: NoTrace },
    inputs: { point: aPoint(), switched: humidifier, draft: RULE },
  });
  expect([rig.asked(watch.history), rig.text]).toEqual([[], expect.stringContaining('From the runs of the last 14 days')]);
});
